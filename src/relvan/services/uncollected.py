"""How seldom the objects of a process are searched for reference cycles."""

import gc
from collections.abc import Iterator
from contextlib import contextmanager

# The youngest objects are searched once 20,000 more have been made than were freed; with every 20th such
# search those that survived it are searched too, and with every 50th of those searches all objects are.
SELDOM = (20_000, 20, 50)


def collect_seldom() -> None:
    """Makes a long-lived process search all its objects for reference cycles seldom. Objects that exist now
    are never searched again. Such a search takes a tenth of a second, during which nobody gets an answer;
    with the interpreter's own settings it happened once in a few hundred pages."""
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
