"""Compares what the scale says of a parcel with what it should weigh, and chooses its service."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Protocol, TypeVar

LEAST_G, SHARE_PERCENT = 10, 3


@dataclass(frozen=True)
class WeighedItem:
    """Goods of a parcel: a SKU, the units, and the weight of one in grams."""

    sku: str
    quantity: int
    weight_g: int


@dataclass(frozen=True)
class WeightCheck:
    """Whether the scale agrees; the weight that was expected and by how much the scale may differ, in
    grams; and what would explain a difference."""

    agrees: bool
    expected_g: int
    allowed_g: float
    reason: str = ""


def check_weight(measured_g: int, items: Sequence[WeighedItem], carton_g: int = 0) -> WeightCheck:
    """Compares a measured weight with that of the items and their carton. The scale may differ by the
    greater of 10 g and 3 %.

    >>> check_weight(1_300, [WeighedItem("PT-14", 2, 600)], 80).agrees
    True
    >>> check_weight(690, [WeighedItem("PT-14", 2, 600)], 80).reason
    'One PT-14 less would explain it.'
    """
    expected = sum(item.quantity * item.weight_g for item in items) + carton_g
    allowed = max(float(LEAST_G), expected * SHARE_PERCENT / 100)
    difference = measured_g - expected
    if abs(difference) <= allowed:
        return WeightCheck(True, expected, allowed)
    return WeightCheck(False, expected, allowed, _reason(difference, allowed, items))


def _reason(difference: int, allowed: float, items: Sequence[WeighedItem]) -> str:
    """Returns the item of which some more or less would explain a difference; the nearest first, then
    the fewest units."""
    found: list[tuple[float, int, str]] = []
    for item in items:
        if item.weight_g <= 0:
            continue
        most = item.quantity if difference < 0 else max(3, item.quantity)
        units = min(most, max(1, round(abs(difference) / item.weight_g)))
        rest = abs(abs(difference) - units * item.weight_g)
        if rest <= allowed:
            found.append((rest, units, item.sku))
    if not found:
        return "No single item explains it."
    _, units, sku = min(found)
    said = "One" if units == 1 else str(units)
    return f"{said} {sku} {'less' if difference < 0 else 'more'} would explain it."


class Offered(Protocol):
    """A service with its price in minor units and the day of arrival (ISO 8601)."""

    @property
    def price(self) -> int: ...
    @property
    def arrives(self) -> str: ...


Offer = TypeVar("Offer", bound=Offered)


def choose_service(offers: Sequence[Offer], promised: date | None = None) -> Offer | None:
    """Returns the cheapest service that arrives by the promised day; where none does, the fastest; of
    two that are alike, the one that is sooner or cheaper. None where nothing is offered."""
    if not offers:
        return None
    last = promised.isoformat() if promised else ""
    in_time = [offer for offer in offers if not last or offer.arrives <= last]
    if in_time:
        return min(in_time, key=lambda offer: (offer.price, offer.arrives))
    return min(offers, key=lambda offer: (offer.arrives, offer.price))
