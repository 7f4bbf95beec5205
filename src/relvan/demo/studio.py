"""Makes the pictures of the demo in a process of its own, while the rest of the demo is prepared.
Drawing takes a fifth of the computing time of all, and a second process can use a second core.
"""

import hashlib
import io
from collections.abc import Callable, Iterable
from concurrent.futures import Future, ProcessPoolExecutor
from functools import partial
from multiprocessing import get_context
from pathlib import Path

from PIL import Image

from relvan.demo.drawings import draw
from relvan.services.catalogue.pictures import KeptPicture, add_kept_pictures, keep_picture
from relvan.services.files import FileStore
from relvan.services.workplace import Actor, Workplace

ELSEWHERE_SIDE = 320


class Studio:
    """Draws pictures of products and keeps their files, in the order in which they were asked
    for; they belong to their products once they are delivered.
    """

    def __init__(self, workplace: Workplace) -> None:
        self._workplace = workplace
        self._pool = ProcessPoolExecutor(1, get_context("spawn"))
        most = workplace.settings.largest_picture_mb
        self._make = partial(_make, workplace.files.folder, most)
        self._ordered: list[tuple[str, Future[KeptPicture]]] = []
        self._elsewhere: dict[str, Future[bytes]] = {}
        self._pool.submit(_make_ready)

    def order(self, sku: str, shape: str, colour: str, caption: str) -> None:
        """Asks for a picture of a product."""
        self._ordered.append((sku, self._pool.submit(self._make, shape, colour, caption)))

    def order_elsewhere(self, names: Iterable[str]) -> None:
        """Asks early for pictures that somebody else took of things."""
        for name in names:
            self._elsewhere[name] = self._pool.submit(seen_elsewhere, name)

    def elsewhere(self, name: str) -> bytes:
        """Returns the picture that somebody else took of a thing, as a JPEG."""
        if name not in self._elsewhere:
            self.order_elsewhere([name])
        return self._elsewhere[name].result()

    def deliver(self, actor: Actor, wanted: Callable[[str], bool]) -> None:
        """Waits for the pictures of products whose SKU is wanted and adds them to those products;
        raises what went wrong with one.
        """
        made = [(sku, picture.result()) for sku, picture in self._ordered if wanted(sku)]
        add_kept_pictures(self._workplace, actor, made)
        self._ordered = [one for one in self._ordered if not wanted(one[0])]

    def close(self) -> None:
        """Ends the drawing process."""
        self._pool.shutdown(cancel_futures=True)


def seen_elsewhere(name: str) -> bytes:
    """Returns a small JPEG of a pot whose colour follows from the name."""
    colour = f"#{hashlib.sha256(name.encode()).hexdigest()[:6]}"
    out = io.BytesIO()
    with Image.open(io.BytesIO(draw("pot", colour, "seen elsewhere"))) as picture:
        picture.thumbnail((ELSEWHERE_SIDE, ELSEWHERE_SIDE))
        picture.save(out, "JPEG")
    return out.getvalue()


def _make(folder: Path, most_mb: int, shape: str, colour: str, caption: str) -> KeptPicture:
    return keep_picture(FileStore(folder), draw(shape, colour, caption), most_mb=most_mb)


def _make_ready() -> None:
    """Does nothing: the process starts and loads its modules with its first task."""
