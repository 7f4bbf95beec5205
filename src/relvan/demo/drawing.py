"""Draws the pictures of the demo as a process of its own: `python -m relvan.demo.drawing FOLDER MB`
keeps them in FOLDER and refuses those of more than MB megabytes.

It reads tasks and writes results, both pickled, by its standard input and output. A pool of
processes would do the same, but its process first loads the whole program that started it, which
takes longer than all the drawing before the first pictures are needed.
"""

import hashlib
import io
import pickle
import sys
from pathlib import Path
from typing import BinaryIO, NamedTuple

from PIL import Image

from relvan.demo.drawings import draw
from relvan.services.catalogue.kept_pictures import KeptPicture, keep_picture
from relvan.services.files import FileStore

ELSEWHERE_SIDE = 320


class PictureTask(NamedTuple):
    """A picture to draw: of a shape in a colour, kept with the files of the demo; or, without a
    shape, a small one that somebody else took of what the caption names."""

    caption: str
    shape: str = ""
    colour: str = ""


class Drawn(NamedTuple):
    """What became of a task: the picture that is kept, or the JPEG, or what went wrong."""

    kept: KeptPicture | None = None
    jpeg: bytes = b""
    failure: Exception | None = None


def seen_elsewhere(name: str) -> bytes:
    """Returns a small JPEG of a pot whose colour follows from the name."""
    colour = f"#{hashlib.sha256(name.encode()).hexdigest()[:6]}"
    out = io.BytesIO()
    with Image.open(io.BytesIO(draw("pot", colour, "seen elsewhere"))) as picture:
        picture.thumbnail((ELSEWHERE_SIDE, ELSEWHERE_SIDE))
        picture.save(out, "JPEG")
    return out.getvalue()


def draw_one(task: PictureTask, files: FileStore, most_mb: int) -> Drawn:
    """Draws one picture; what goes wrong with it is part of the answer."""
    try:
        if not task.shape:
            return Drawn(jpeg=seen_elsewhere(task.caption))
        content = draw(task.shape, task.colour, task.caption)
        return Drawn(keep_picture(files, content, most_mb=most_mb))
    except Exception as failure:
        return Drawn(failure=failure)


def work_through(tasks: BinaryIO, results: BinaryIO, files: FileStore, most_mb: int) -> None:
    """Carries out one task after the other, until there are no more to read."""
    while True:
        try:
            task: PictureTask = pickle.load(tasks)
        except EOFError:
            return
        pickle.dump(draw_one(task, files, most_mb), results)
        results.flush()


if __name__ == "__main__":
    from relvan.demo import drawing  # under its name, by which the other side knows its classes

    drawing.work_through(
        sys.stdin.buffer, sys.stdout.buffer, FileStore(Path(sys.argv[1])), int(sys.argv[2])
    )
