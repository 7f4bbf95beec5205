"""Into which bins goods that have come in are put. See docs/rules.md, “Goods in”."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class PutAwayBin:
    """A bin as goods are put into it: its code, its place on the way through the warehouse, whether it is
    a reserve bin, how many units it holds at most (None where that is not known), and how many of this
    product and of all products lie in it."""

    code: str
    walk: int
    reserve: bool = False
    capacity: int | None = None
    own: int = 0
    all_units: int = 0

    @property
    def room(self) -> int | None:
        """How many more units it takes; None where that is not known."""
        return None if self.capacity is None else max(0, self.capacity - self.all_units)


@dataclass(frozen=True)
class PutAway:
    """Units that are put into a bin, and why into that one."""

    code: str
    units: int
    why: str


def put_away(units: int, shelves: Sequence[PutAwayBin]) -> list[PutAway]:
    """Returns the bins for units of a product: first those from which it is picked already, the fullest
    first; then reserve bins that have it; then empty bins for picking and empty reserve bins, the nearest
    first. Each takes what it has room for. What finds no room goes into the first of them all the same,
    since the goods are there. Without any bin nothing is returned.

    >>> shelves = [PutAwayBin("A-01", 1, capacity=20, own=5, all_units=5), PutAwayBin("B-01", 9)]
    >>> [(one.code, one.units) for one in put_away(30, shelves)]
    [('A-01', 15), ('B-01', 15)]
    """
    found: list[PutAway] = []
    left = units
    for shelf, why in _in_turn(shelves):
        if left <= 0:
            break
        taken = left if shelf.room is None else min(left, shelf.room)
        if taken:
            found.append(PutAway(shelf.code, taken, why))
            left -= taken
    if left > 0:
        first = found[0] if found else next(_fallback(shelves), None)
        if first is not None:
            crowded = PutAway(first.code, first.units + left, "no bin has room for all")
            found = [crowded, *found[1:]]
    return found


def _in_turn(shelves: Sequence[PutAwayBin]) -> Iterator[tuple[PutAwayBin, str]]:
    own = [shelf for shelf in shelves if shelf.own]
    for reserve, why in ((False, "it lies there already"), (True, "its reserve lies there")):
        fitting = [shelf for shelf in own if shelf.reserve == reserve]
        for shelf in sorted(fitting, key=lambda one: (-one.own, one.walk, one.code)):
            yield shelf, why
    empty = [shelf for shelf in shelves if not shelf.all_units and not shelf.own]
    for reserve, why in ((False, "the nearest empty bin"), (True, "the nearest empty reserve bin")):
        fitting = [shelf for shelf in empty if shelf.reserve == reserve]
        for shelf in sorted(fitting, key=lambda one: (one.walk, one.code)):
            yield shelf, why


def _fallback(shelves: Sequence[PutAwayBin]) -> Iterator[PutAway]:
    for shelf in sorted(shelves, key=lambda one: (-one.own, one.reserve, one.walk, one.code)):
        yield PutAway(shelf.code, 0, "")


def said_of_units(expected: int, came: int, units: int) -> tuple[str, bool]:
    """Returns what is said of units in the hand, and whether it needs a look: how many were expected, how
    many had come before, and how many are in the hand.

    >>> said_of_units(12, 4, 10)
    ('2 more than the 8 that are still expected.', True)
    """
    left = max(0, expected - came)
    if not expected:
        return "None of it is expected here.", True
    if units > left:
        return f"{units - left} more than the {left} that are still expected.", True
    if units < left:
        return f"{left - units} of {left} are still to come after these.", False
    return "With these all has come that is expected.", False
