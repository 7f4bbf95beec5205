"""Which bins are picked from how often, and which products should change places."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from relvan.core.picking.places import NamedPlan

DAYS = 28
MOST_PROPOSED = 8
LEAST_SAVED_M = 1.0


@dataclass(frozen=True)
class BinHeat:
    """A bin with the picks of the last 28 days from it, and the SKU that lies in it if it is just one."""

    code: str
    picks: int
    sku: str = ""


@dataclass(frozen=True)
class PlaceSwap:
    """Two products that should change places: one that is picked often and lies far, and one that is
    picked less and lies nearer. `saves_m` is what 28 days like the last would have saved, in metres, if
    every pick were a walk of its own: a bound, since one walk serves several picks."""

    often: BinHeat
    seldom: BinHeat
    saves_m: float


def walk_to(plan: NamedPlan, code: str) -> float | None:
    """Returns the walk from the start to a bin and on to the drop in metres, or None off the plan."""
    place = plan.place(code)
    if place is None:
        return None
    floor = plan.floor
    point = (place.aisle, floor.y_of(place.bay))
    ends = [(end.aisle, floor.y_of_end(end)) for end in (floor.start, floor.drop)]
    return sum(floor.between(end, point) for end in ends)


def propose_swaps(plan: NamedPlan, bins: Sequence[BinHeat]) -> list[PlaceSwap]:
    """Returns the changes of places that save most, each bin in one of them at most."""
    far: Mapping[str, float] = {
        one.code: metres for one in bins if (metres := walk_to(plan, one.code)) is not None
    }
    known = [one for one in bins if one.sku and one.code in far]
    often = sorted(known, key=lambda one: (-one.picks * far[one.code], one.code))[:60]
    seldom = sorted(known, key=lambda one: (one.picks, far[one.code], one.code))[:200]
    found = [
        PlaceSwap(a, b, round((a.picks - b.picks) * (far[a.code] - far[b.code]), 1))
        for a in often
        for b in seldom
        if a.picks > b.picks and far[a.code] > far[b.code]
    ]
    used: set[str] = set()
    chosen = []
    for swap in sorted(found, key=lambda one: (-one.saves_m, one.often.code, one.seldom.code)):
        pair = {swap.often.code, swap.seldom.code}
        if swap.saves_m >= LEAST_SAVED_M and not pair & used:
            used |= pair
            chosen.append(swap)
    return chosen[:MOST_PROPOSED]
