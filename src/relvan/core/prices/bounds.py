"""The bounds of a price, which hold whatever its steps are: the highest of its floors, and its
ceiling. See docs/rules.md, “Prices”."""

from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from typing import Protocol

from relvan.core.listings.rulebook import FeeRule
from relvan.core.money import Money, as_decimal
from relvan.core.prices.lowest import lowest_with_margin
from relvan.core.prices.rates import Rates
from relvan.core.why import Why


class Costed(Protocol):
    """The details of a product that bound its price: floor, advertised minimum, ceiling and cost in
    minor units of the seller's currency, and the tax code."""

    @property
    def floor(self) -> int | None:
        """Its own floor."""
        ...

    @property
    def advertised_minimum(self) -> int | None:
        """The lowest price that may be advertised."""
        ...

    @property
    def ceiling(self) -> int | None:
        """The highest price that may ever be sent."""
        ...

    @property
    def cost(self) -> int | None:
        """What one costs."""
        ...

    @property
    def tax_code(self) -> str:
        """How it is taxed."""
        ...


@dataclass(frozen=True)
class LeastMargin:
    """The part of the net price, in percent, that must remain as profit after fees, `cost` and
    `delivery`; `tax` is the percentage inside the price."""

    percent: Decimal
    cost: Money
    delivery: Money
    tax: Decimal = Decimal(0)


@dataclass(frozen=True)
class Bounds:
    """The bounds of a price: the product's own floor, the lowest price that may be advertised, the
    least margin, and the ceiling. Any of them may be missing."""

    floor: Money | None = None
    advertised: Money | None = None
    margin: LeastMargin | None = None
    ceiling: Money | None = None


NO_BOUNDS = Bounds()


@dataclass(frozen=True)
class Held:
    """A price within its bounds. `floored` says that a floor raised it; `lowest` is the highest of
    its floors, or None."""

    money: Money
    why: Why
    floored: bool = False
    lowest: Money | None = None


def keep_within(
    money: Money,
    bounds: Bounds,
    fees: FeeRule,
    category: str,
    rates: Rates,
    why: Why,
) -> Held:
    """Raises a price to the highest of its floors and lowers it to its ceiling; where they
    contradict each other, the floor counts. A bound in a currency without a known rate has no
    effect, and the why says so."""
    currency = money.currency
    highest, named = None, ""
    for name, floor, detail in _floors(bounds, fees, category, currency, rates):
        if floor is None:
            why = why.then(name, "not compared", detail)
        elif highest is None or floor.amount > highest.amount:
            highest, named = floor, name
    ceiling = rates.convert(bounds.ceiling, currency) if bounds.ceiling else None
    if bounds.ceiling and ceiling is None:
        why = why.then("Ceiling", "not compared", _no_rate(bounds.ceiling, currency))
    if ceiling is not None and money.amount > ceiling.amount:
        money = ceiling
        why = why.then(
            "Ceiling", as_decimal(money.amount, currency), "held: the steps went above it"
        )
    if highest is None:
        return Held(money, why)
    floored = money.amount < highest.amount
    detail = "held: the steps went below it" if floored else "not reached"
    why = why.then(named, as_decimal(highest.amount, currency), detail)
    return Held(highest if floored else money, why, floored, highest)


def _floors(
    bounds: Bounds, fees: FeeRule, category: str, currency: str, rates: Rates
) -> Iterator[tuple[str, Money | None, str]]:
    """Returns every floor by its name, in the price's currency; None with the reason where it
    cannot be worked out."""
    for name, own in (("Floor", bounds.floor), ("Advertised minimum", bounds.advertised)):
        if own is not None:
            yield name, rates.convert(own, currency), _no_rate(own, currency)
    if bounds.margin is not None:
        yield _margin_floor(bounds.margin, fees, category, currency, rates)


def _margin_floor(
    margin: LeastMargin, fees: FeeRule, category: str, currency: str, rates: Rates
) -> tuple[str, Money | None, str]:
    """Returns the floor that follows from the least margin, with its name; None with the reason."""
    cost, delivery = rates.convert(margin.cost, currency), rates.convert(margin.delivery, currency)
    if cost is None or delivery is None:
        return "Least margin", None, _no_rate(margin.cost, currency)
    lowest = lowest_with_margin(
        margin.percent,
        fees,
        cost=cost.amount,
        delivery=delivery.amount,
        tax_percent=margin.tax,
        category=category,
    )
    found = None if lowest is None else Money(lowest, currency)
    return (
        f"Least margin {margin.percent.normalize():f} %",
        found,
        "no price reaches it after the fees there",
    )


def _no_rate(money: Money, currency: str) -> str:
    return f"in {money.currency}, and there is no rate to {currency}"
