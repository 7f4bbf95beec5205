"""Remembers which pictures a channel has, so that no limited calls are spent on sending them again."""

from collections.abc import Callable

from relvan.gateways.channels.port import PictureFile


class SentPictures:
    """Pictures that a channel stores under names of its own; `send` sends one and returns its name."""

    def __init__(self, send: Callable[[bytes], str]) -> None:
        self._send = send
        self._names: dict[str, str] = {}

    def name_of(self, picture: PictureFile) -> str:
        """Returns the channel's name of a picture, which is sent first when the channel does not
        have it.
        """
        if picture.sha not in self._names:
            self._names[picture.sha] = self._send(picture.path.read_bytes())
        return self._names[picture.sha]

    def forget(self) -> None:
        """Forgets the pictures after a refusal, because the channel may have lost one of them."""
        self._names.clear()
