"""Prices and checks the lines of an order or an estimate that a person enters. See docs/rules.md,
“Orders”.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from enum import StrEnum

from relvan.core.orders.invoicing import tax_on
from relvan.core.orders.tax import tax_inside
from relvan.core.why import Why


class OrderKind(StrEnum):
    """An order, or an estimate that the customer has not accepted yet."""

    ORDER = "order"
    ESTIMATE = "estimate"


@dataclass(frozen=True)
class PriceSource:
    """A price list as a line may use it: its name, whether its prices have the tax inside, the price
    of one, and the quantity breaks as (least units, price of one)."""

    name: str
    with_tax: bool
    price: int | None = None
    breaks: tuple[tuple[int, int], ...] = ()

    def at(self, quantity: int) -> tuple[int | None, int]:
        """Returns the price of one at a quantity, and from how many units it holds."""
        best: tuple[int | None, int] = (self.price, 1)
        for least, price in sorted(self.breaks):
            if quantity >= least:
                best = (price, least)
        return best


@dataclass(frozen=True)
class PricedLine:
    """The price of one of a line, in minor units, and why it is that; None when there is none."""

    price: int | None
    why: Why


def price_of_line(
    quantity: int,
    percent: Decimal,
    *,
    own: PriceSource | None,
    lists: Sequence[PriceSource],
    with_tax: bool,
) -> PricedLine:
    """Returns the price of a line: the customer's own, else that of the first list that has one, at
    the quantity break. `lists` are the customer's list and then the default one. A price without
    tax is brought to one with it, or the other way, as the order wants it."""
    why = Why()
    for source in [*([own] if own else []), *lists]:
        price, least = source.at(quantity)
        if price is None:
            why = why.then(source.name, "none")
            continue
        detail = f"from {least} units on" if least > 1 else ""
        why = why.then(source.name, price, detail)
        return _as_wanted(price, percent, source.with_tax, with_tax, why)
    return PricedLine(None, why)


def _as_wanted(price: int, percent: Decimal, given: bool, wanted: bool, why: Why) -> PricedLine:
    if given == wanted:
        return PricedLine(price, why)
    if wanted:
        price += tax_on(price, percent)
        return PricedLine(price, why.then("with tax", price, f"{percent} %"))
    price -= tax_inside(price, percent)
    return PricedLine(price, why.then("without tax", price, f"{percent} %"))


@dataclass(frozen=True)
class TypedLine:
    """A line as it is judged: units, the price of one and the discount on the line (with tax inside
    where `with_tax`), its rate, and what is known of the product. `expected` is the day on which
    enough can be there, if that is known."""

    sku: str
    quantity: int
    unit_price: int
    discount: int = 0
    percent: Decimal = Decimal(0)
    with_tax: bool = True
    cost: int | None = None
    floor: int | None = None
    case: int | None = None
    free: int | None = None
    expected: date | None = None

    @property
    def gross(self) -> int:
        """What the line comes to, after its discount."""
        return self.unit_price * self.quantity - self.discount

    @property
    def net(self) -> int:
        """The same without tax."""
        return self.gross - tax_inside(self.gross, self.percent) if self.with_tax else self.gross

    @property
    def profit(self) -> int | None:
        """What remains of the net amount after the cost; None when the cost is not known."""
        return None if self.cost is None else self.net - self.cost * self.quantity

    @property
    def margin(self) -> Decimal | None:
        """The profit as a share of the net amount, in percent with one decimal."""
        return margin_percent(self.profit, self.net)


def margin_percent(profit: int | None, net: int) -> Decimal | None:
    """Returns a profit as a share of a net amount, in percent with one decimal.

    >>> margin_percent(283, 2353)
    Decimal('12.0')
    """
    if profit is None or net <= 0:
        return None
    return (Decimal(100 * profit) / net).quantize(Decimal("0.1"))


@dataclass(frozen=True)
class OrderWarning:
    """Something about a line or the whole order (line 0) that a person should know before saving,
    and may override with a reason."""

    code: str
    line: int
    message: str


@dataclass(frozen=True)
class OrderMargin:
    """The margin of an order: net amount, cost and profit in minor units, without channel fees. The
    cost is None when that of a line is not known."""

    net: int
    cost: int | None

    @property
    def profit(self) -> int | None:
        """What remains after the cost."""
        return None if self.cost is None else self.net - self.cost

    @property
    def percent(self) -> Decimal | None:
        """The profit as a share of the net amount."""
        return margin_percent(self.profit, self.net)


def order_margin_of(lines: Sequence[TypedLine]) -> OrderMargin:
    """Returns the margin of an order over its lines."""
    costs = [None if line.cost is None else line.cost * line.quantity for line in lines]
    known = [cost for cost in costs if cost is not None]
    return OrderMargin(
        sum(line.net for line in lines), sum(known) if len(known) == len(costs) else None
    )


def warnings_of(
    lines: Sequence[TypedLine], promised: date | None = None, today: date | None = None
) -> list[OrderWarning]:
    """Returns what a person should know of an order before it is saved; a warning about the whole order
    has the line 0. With `today`, a promised day that is over is warned of."""
    found = []
    if promised is not None and today is not None and promised < today:
        message = f"It is promised for {promised}, and that day is over."
        found.append(OrderWarning("promised-too-soon", 0, message))
    taken: dict[str, int] = {}
    for place, line in enumerate(lines, 1):
        found += _of_price(place, line)
        if line.case and line.quantity % line.case:
            low = line.quantity // line.case * line.case
            wanted = f"{low} or {low + line.case}" if low else str(line.case)
            message = f"{line.quantity} of {line.sku} are no whole cases of {line.case}: {wanted}."
            found.append(OrderWarning("case-pack", place, message))
        if line.free is not None:
            left = max(0, line.free - taken.get(line.sku, 0))
            taken[line.sku] = taken.get(line.sku, 0) + line.quantity
            if line.quantity > left:
                message = f"{line.quantity} of {line.sku} are wanted and {left} are free."
                found.append(OrderWarning("more-than-free", place, message))
                found += _of_promise(place, line, promised)
    return found


def _of_price(place: int, line: TypedLine) -> list[OrderWarning]:
    found = []
    if line.profit is not None and line.profit < 0:
        message = f"{line.sku} is sold at a loss: below what it costs."
        found.append(OrderWarning("negative-margin", place, message))
    if line.floor is not None and line.quantity:
        each = line.gross if line.with_tax else line.gross + tax_on(line.gross, line.percent)
        if each < line.floor * line.quantity:
            message = f"{line.sku} is sold below its floor."
            found.append(OrderWarning("below-floor", place, message))
    return found


def _of_promise(place: int, line: TypedLine, promised: date | None) -> list[OrderWarning]:
    if promised is None:
        return []
    if line.expected is not None and line.expected <= promised:
        return []
    when = f"are expected on {line.expected}" if line.expected else "are not expected at all"
    message = f"It is promised for {promised}, and the missing {line.sku} {when}."
    return [OrderWarning("promised-too-soon", place, message)]


def open_warnings(
    warnings: Sequence[OrderWarning], overridden: Mapping[str, str]
) -> list[OrderWarning]:
    """Returns the warnings for which no reason was given. `overridden` has reasons by code."""
    return [one for one in warnings if not overridden.get(one.code, "").strip()]


@dataclass(frozen=True)
class SpokenLine:
    """What somebody has read out: a code or words, and how many."""

    words: str
    quantity: int = 1


def heard_line(spoken: str) -> SpokenLine:
    """Reads a line as it is typed or scanned: a code or words, with the units before or after it.

    >>> heard_line("3 PT-14")
    SpokenLine(words='PT-14', quantity=3)
    >>> heard_line("blue pot x 2").quantity
    2
    """
    parts = spoken.split()
    times = [part for part in parts if part.lower() not in ("x", "×", "*")]
    if len(times) > 1 and _is_count(times[0]):
        return SpokenLine(" ".join(times[1:]), int(times[0]))
    if len(times) > 1 and _is_count(times[-1]):
        return SpokenLine(" ".join(times[:-1]), int(times[-1]))
    return SpokenLine(" ".join(parts))


def _is_count(word: str) -> bool:
    return word.isascii() and word.isdigit() and 0 < int(word) < 10_000 and len(word) < 5
