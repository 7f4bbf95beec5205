"""Work that makes a great many objects at once, and next to no cycles among them."""

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def uncollected() -> Iterator[None]:
    """Without looking for cycles meanwhile: a rehearsal and a chunk make a great many objects and next to no cycles,
    and going through all of them again and again would take a third of the time. Not for a whole job, which may fetch
    pictures for hours."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()
