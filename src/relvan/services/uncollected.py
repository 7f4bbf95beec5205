"""For work that makes very many objects at once with hardly any reference cycles among them."""

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def uncollected() -> Iterator[None]:
    """Switches the search for reference cycles off meanwhile. A rehearsal makes very many objects
    with hardly any cycles, and searching them again and again would take a third of the time. It is
    not for a whole job, which may fetch pictures for hours."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()
