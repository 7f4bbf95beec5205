"""Chooses the bins to take goods from and the order in which to visit them, and checks what was
scanned."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from relvan.core.catalogue.identity import is_code_of
from relvan.core.refusal import refuse


@dataclass(frozen=True)
class Place:
    """A bin with the units that may be taken from it now; `walk` is its place on the way through
    the warehouse. Goods of a reserve bin are taken only when the others have too few. `since` is when
    the oldest of its units came, in seconds; `use_by` the day (ISO 8601) by which the first of them must be
    used, or empty."""

    bin: int
    code: str
    walk: int
    there: int
    reserve: bool = False
    since: float = 0.0
    use_by: str = ""


@dataclass(frozen=True)
class PickAsk:
    """The units of a product that one line of a shipment needs."""

    shipment_line: int
    product: int
    quantity: int


@dataclass(frozen=True)
class PlannedPick:
    """One line of a pick list: so many units of a product from a bin; the bin is None when no bin
    is known to have it."""

    shipment_line: int
    product: int
    bin: int | None
    quantity: int
    walk: int


class BinRule(StrEnum):
    """Which bin is taken from first, when a product lies in several: the one that is emptied so, the one
    with the oldest stock, or the one that lengthens the walk least."""

    EMPTIES = "empties"
    OLDEST = "oldest"
    NEAR = "near"


def plan_walk(
    asks: Sequence[PickAsk],
    places: Mapping[int, Sequence[Place]],
    rule: BinRule = BinRule.EMPTIES,
    far: Mapping[int, float] | None = None,
) -> list[PlannedPick]:
    """Returns the picks in the order of their bins.

    Each line is picked from one bin where a bin has enough, else from several. `rule` says what decides
    first; then come the other two reasons. `far` is by how much each bin lengthens the walk. Of goods with
    a use-by date those that expire first leave first, whatever the rule says. What no bin has comes last,
    without a bin.
    """
    left = {
        (product, place.bin): place.there
        for product, all_places in places.items()
        for place in all_places
    }
    picks: list[PlannedPick] = []
    for ask in asks:
        ranked = sorted(
            places.get(ask.product, ()),
            key=lambda place: _rank(place, left[ask.product, place.bin], ask.quantity, rule, far),
        )
        picks += _serve(ask, ranked, left)
    return sorted(
        picks, key=lambda pick: (pick.bin is None, pick.walk, pick.product, pick.shipment_line)
    )


def _rank(
    place: Place, there: int, wanted: int, rule: BinRule, far: Mapping[int, float] | None
) -> tuple[float, ...]:
    """Returns by what bins are put in order for a line: pick bins first, then as the rule says."""
    reasons = {
        BinRule.EMPTIES: float(there if there >= wanted else -there),
        BinRule.OLDEST: place.since,
        BinRule.NEAR: far.get(place.bin, 0.0) if far else 0.0,
    }
    others = [reason for name, reason in reasons.items() if name != rule]
    return (float(place.reserve), reasons[rule], *others, float(place.walk), float(place.bin))


def _serve(
    ask: PickAsk, places: list[Place], left: dict[tuple[int, int], int]
) -> list[PlannedPick]:
    picks, open_units = [], ask.quantity
    for day in sorted({place.use_by for place in places}, key=lambda day: (not day, day)):
        same = [place for place in places if place.use_by == day]
        first = [place for place in same if not place.reserve] or same
        enough = [place for place in first if left[ask.product, place.bin] >= open_units]
        for place in enough[:1] or same:
            taken = min(open_units, left[ask.product, place.bin])
            if taken > 0:
                left[ask.product, place.bin] -= taken
                open_units -= taken
                pick = PlannedPick(ask.shipment_line, ask.product, place.bin, taken, place.walk)
                picks.append(pick)
    if open_units:
        picks.append(PlannedPick(ask.shipment_line, ask.product, None, open_units, 10**9))
    return picks


def check_scan(code: str, sku: str, gtin: str | None, aliases: tuple[str, ...]) -> None:
    """Refuses a scanned code that is not one of the product's codes."""
    if not is_code_of(code.strip(), sku, gtin, aliases):
        message = f"“{code[:64]}” is not {sku}."
        raise refuse("wrong-scan", message, f"Put it back and take {sku}.", "code")


def check_picked(quantity: int, asked: int) -> None:
    """Checks that the quantity picked is between nothing and what was asked; less than that is a
    short pick."""
    if not 0 <= quantity <= asked:
        raise refuse(
            "out-of-range", f"“Quantity” must be 0 to {asked}; it got {quantity}.", "", "quantity"
        )
