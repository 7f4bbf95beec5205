"""Which pictures a channel has already: a throttled listing must not spend its calls on them
again."""

from collections.abc import Callable

from relvan.gateways.channels.port import PictureFile


class SentPictures:
    """Pictures that a channel keeps under names of its own; `send` hands one over and tells its
    name."""

    def __init__(self, send: Callable[[bytes], str]) -> None:
        self._send = send
        self._names: dict[str, str] = {}

    def name_of(self, picture: PictureFile) -> str:
        """The channel's name of a picture, which is sent when it does not have it."""
        if picture.sha not in self._names:
            self._names[picture.sha] = self._send(picture.path.read_bytes())
        return self._names[picture.sha]

    def forget(self) -> None:
        """After a refusal: perhaps the channel lost one of them."""
        self._names.clear()
