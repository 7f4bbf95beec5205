"""Chooses the bins to take goods from and the order in which to visit them, and checks what was
scanned."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from relvan.core.catalogue.identity import is_code_of
from relvan.core.refusal import refuse


@dataclass(frozen=True)
class Place:
    """A bin with the units that may be taken from it now; `walk` is its place on the way through
    the warehouse."""

    bin: int
    code: str
    walk: int
    there: int


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


def plan_walk(asks: Sequence[PickAsk], places: Mapping[int, Sequence[Place]]) -> list[PlannedPick]:
    """Returns the picks in the order of their bins.

    Each line is picked from one bin where a bin has enough (the one with the fewest units, so that
    remnants are used up), else from several in the order of the way. What no bin has comes last,
    without a bin.
    """
    left = {
        (product, place.bin): place.there
        for product, all_places in places.items()
        for place in all_places
    }
    picks: list[PlannedPick] = []
    for ask in asks:
        picks += _serve(
            ask, sorted(places.get(ask.product, ()), key=lambda p: (p.walk, p.code)), left
        )
    return sorted(
        picks, key=lambda pick: (pick.bin is None, pick.walk, pick.product, pick.shipment_line)
    )


def _serve(
    ask: PickAsk, places: list[Place], left: dict[tuple[int, int], int]
) -> list[PlannedPick]:
    enough = [place for place in places if left[ask.product, place.bin] >= ask.quantity]
    chosen = [min(enough, key=lambda place: left[ask.product, place.bin])] if enough else places
    picks, open_units = [], ask.quantity
    for place in chosen:
        taken = min(open_units, left[ask.product, place.bin])
        if taken > 0:
            left[ask.product, place.bin] -= taken
            open_units -= taken
            picks.append(PlannedPick(ask.shipment_line, ask.product, place.bin, taken, place.walk))
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
