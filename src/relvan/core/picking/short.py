"""What becomes of units that were not found in their bin. See docs/rules.md, “Short picks”."""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.picking.walk import Place


@dataclass(frozen=True)
class ShortPick:
    """Units that were not found: how many of them are given up, and from which other bins the rest is
    taken, as (bin, units)."""

    given_up: int
    instead: tuple[tuple[int, int], ...] = ()


def look_elsewhere(missing: int, spare: int, places: Sequence[Place]) -> ShortPick:
    """Returns what becomes of units that were not found. `spare` is what the warehouse has beyond all that
    it has promised, once what is missing is blocked; below zero that many cannot be kept promised. The
    other bins are taken in the order of the walk, those for picking before reserve bins.

    >>> look_elsewhere(5, -2, [Place(7, "B-01", 2, 9)])
    ShortPick(given_up=2, instead=((7, 3),))
    """
    wanted = missing - min(missing, max(0, -spare))
    left, instead = wanted, []
    for place in sorted(places, key=lambda one: (one.reserve, one.walk, one.code)):
        units = min(left, place.there)
        if units > 0:
            instead.append((place.bin, units))
            left -= units
    return ShortPick(missing - wanted + left, tuple(instead))
