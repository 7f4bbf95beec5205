"""Works out what orders earned: what remains of their price after tax, the channel's fees, cost,
carriage, packaging and refunds. See docs/rules.md, “What orders earned”.

Amounts are in minor units of one currency. What belongs to an order as a whole is spread over its lines
by largest remainder, so that products, channels and weeks add up to the same.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import date
from decimal import Decimal
from enum import StrEnum

from relvan.core.money import as_decimal
from relvan.core.orders.discounts import spread
from relvan.core.orders.tax import tax_inside
from relvan.core.why import Why


class EarnedBy(StrEnum):
    """By what earnings are summed up."""

    ORDER = "order"
    PRODUCT = "product"
    CHANNEL = "channel"
    WEEK = "week"


@dataclass(frozen=True)
class Earned:
    """What sales earned. `price` is with tax and delivery; `unknown` counts lines whose cost is not
    known, which then counts as nothing."""

    units: int = 0
    price: int = 0
    tax: int = 0
    fees: int = 0
    cost: int = 0
    carriage: int = 0
    packaging: int = 0
    refund: int = 0
    unknown: int = 0

    @property
    def margin(self) -> int:
        """What remains of the price."""
        spent = self.tax + self.fees + self.cost + self.carriage + self.packaging + self.refund
        return self.price - spent

    @property
    def percent(self) -> Decimal | None:
        """What remains as a share of the price without tax, in percent with one decimal; None where
        nothing was sold or a cost is not known."""
        net = self.price - self.tax
        if net <= 0 or self.unknown:
            return None
        return (Decimal(100 * self.margin) / net).quantize(Decimal("0.1"))

    def __add__(self, other: "Earned") -> "Earned":
        return Earned(
            *(getattr(self, one.name) + getattr(other, one.name) for one in fields(Earned))
        )


@dataclass(frozen=True)
class SoldLine:
    """A line that was sold: its units, what it came to with tax and the tax of that, what one unit cost
    if that is known, and what the channel keeps of it."""

    key: str
    units: int
    price: int
    tax: int
    cost: int | None
    fees: int


@dataclass(frozen=True)
class SoldOrder:
    """An order that was sold: its lines, the delivery charge with tax, what its parcels cost to carry
    and to pack, and what was given back. `rate` converts its currency into the seller's."""

    number: str
    channel: str
    day: date
    lines: tuple[SoldLine, ...]
    delivery: int = 0
    carriage: int = 0
    packaging: int = 0
    refund: int = 0
    rate: Decimal = Decimal(1)


def earned_by_line(order: SoldOrder) -> list[tuple[str, Earned]]:
    """Returns what each line of an order earned, by its key, in the seller's currency. Delivery,
    carriage, packaging and refunds are spread over the lines by what they came to. Carriage and
    packaging are in the seller's currency already; the tax on what was given back is not owed."""
    weights = [line.price for line in order.lines]
    whole = sum(weights)
    charges = spread(order.delivery, weights) if whole else [0] * len(weights)
    shares = [
        spread(amount, weights) if whole else [0] * len(weights)
        for amount in (order.carriage, order.packaging, order.refund)
    ]
    found = []
    for line, charge, carriage, packaging, refund in zip(
        order.lines, charges, *shares, strict=True
    ):
        price = line.price + charge
        tax = line.tax + _tax_of(charge, line)
        back = _tax_of(refund, line)
        known = line.cost is not None
        found.append(
            (
                line.key,
                Earned(
                    line.units,
                    _in_own(price, order.rate),
                    _in_own(tax - back, order.rate),
                    _in_own(line.fees, order.rate),
                    (line.cost or 0) * line.units,
                    carriage,
                    packaging,
                    _in_own(refund, order.rate),
                    0 if known else 1,
                ),
            )
        )
    return found


def _tax_of(amount: int, line: SoldLine) -> int:
    """Returns the tax inside an amount at the rate of a line."""
    net = line.price - line.tax
    if not net or not line.tax:
        return 0
    return tax_inside(amount, (Decimal(100 * line.tax) / net).quantize(Decimal("0.01")))


def _in_own(amount: int, rate: Decimal) -> int:
    return amount if rate == 1 else int((amount * rate).to_integral_value())


def sum_up(orders: Iterable[SoldOrder], by: EarnedBy) -> dict[str, Earned]:
    """Returns what orders earned, by order, product, channel, or week (ISO 8601, such as 2026-W48)."""
    found: dict[str, Earned] = {}
    for order in orders:
        for key, earned in earned_by_line(order):
            group = _KEYS[by](order, key)
            found[group] = found.get(group, Earned()) + earned
    return found


def week_of(day: date) -> str:
    """Returns the week of a day as ISO 8601 writes it.

    >>> week_of(date(2027, 1, 1))
    '2026-W53'
    """
    year, week, _ = day.isocalendar()
    return f"{year}-W{week:02}"


_KEYS: Mapping[EarnedBy, Callable[[SoldOrder, str], str]] = {
    EarnedBy.ORDER: lambda order, _key: order.number,
    EarnedBy.PRODUCT: lambda _order, key: key,
    EarnedBy.CHANNEL: lambda order, _key: order.channel,
    EarnedBy.WEEK: lambda order, _key: week_of(order.day),
}


def total_of(earned: Iterable[Earned]) -> Earned:
    """Returns the sum of what was earned."""
    return sum(earned, Earned())


STEPS = (
    ("price", "Price with tax and delivery", 1),
    ("tax", "Tax", -1),
    ("fees", "Fees of the channel", -1),
    ("cost", "Cost of the goods", -1),
    ("carriage", "Carriage", -1),
    ("packaging", "Packaging", -1),
    ("refund", "Given back", -1),
)


def why_earned(earned: Earned, currency: str) -> Why:
    """Returns the steps from the price to what remains."""
    why = Why()
    for name, label, sign in STEPS:
        amount = getattr(earned, name)
        if amount or name == "price":
            why = why.then(label, as_decimal(sign * amount, currency))
    detail = f"{earned.percent} % of the price without tax" if earned.percent is not None else ""
    if earned.unknown:
        detail = "the cost of some goods is not known"
    return why.then("Margin", as_decimal(earned.margin, currency), detail)


def ranked(found: Mapping[str, Earned], by: EarnedBy) -> Sequence[tuple[str, Earned]]:
    """Returns sums in the order in which they are shown: weeks by time, others by their margin, the
    most first."""
    if by == EarnedBy.WEEK:
        return sorted(found.items())
    return sorted(found.items(), key=lambda pair: (-pair[1].margin, pair[0]))
