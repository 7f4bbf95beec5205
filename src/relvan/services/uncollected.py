"""How seldom the objects of a process are searched for reference cycles."""

import gc
from collections.abc import Iterator
from contextlib import contextmanager

# new objects before the youngest are searched, such searches before the older ones are, and searches of those
# before all are
SELDOM = (20_000, 20, 50)


def collect_seldom() -> None:
    """Lets a process that answers or works for long search for reference cycles seldom. What is there now
    is never searched again. A search of all objects keeps whoever waits for an answer waiting for a tenth
    of a second, and came after every few hundred pages."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(*SELDOM)


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
