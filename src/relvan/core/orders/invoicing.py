"""Works out what an invoice says. See docs/rules.md, “Invoices”.

Amounts are in minor units. The rules of the sums are those of EN 16931: per rate, the tax is worked
out of the sum of the net amounts, and what differs from the amount that the buyer pays is stated as
rounding (BT-114).
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from relvan.core.money import part_half_up
from relvan.core.orders.discounts import part_up_to, spread
from relvan.core.orders.tax import tax_inside


@dataclass(frozen=True)
class Billable:
    """A line of an order that can be invoiced: how many units were ordered and how many have been
    invoiced, the price of one, the discount on the line, and its rate. With `with_tax` the price
    and the discount have the tax inside; without it, `more_tax` is what the source of the order
    added beyond the tax that is worked out."""

    line: int
    sku: str
    title: str
    ordered: int
    invoiced: int
    unit_price: int
    discount: int
    percent: Decimal
    with_tax: bool = True
    more_tax: int = 0


@dataclass(frozen=True)
class InvoiceLine:
    """A line of an invoice: its units, the price of one as it was agreed, and its net amount. `paid`
    is what the buyer pays for it if the price has the tax inside; `more_tax` as in `Billable`."""

    line: int | None
    sku: str
    title: str
    quantity: int
    unit_price: int
    discount: int
    net: int
    paid: int
    percent: Decimal
    more_tax: int = 0


@dataclass(frozen=True)
class RateSum:
    """What stands under one rate: the sum of the net amounts, and the tax on it."""

    percent: Decimal
    net: int
    tax: int


@dataclass(frozen=True)
class InvoiceSums:
    """The sums of an invoice: net, tax, both together, what the buyer pays, and the rounding that is
    the difference between the last two."""

    rates: tuple[RateSum, ...]
    net: int
    tax: int
    total: int
    payable: int

    @property
    def rounding(self) -> int:
        """What is added to the total to give what is paid."""
        return self.payable - self.total


def line_of(billable: Billable, units: int) -> InvoiceLine:
    """Returns the line for the next units of a line of an order. However an order is split into
    invoices, the lines add up to the order's."""
    begin, end = billable.invoiced, billable.invoiced + units
    whole = billable.unit_price * billable.ordered - billable.discount
    amount = part_up_to(whole, end, billable.ordered) - part_up_to(whole, begin, billable.ordered)
    discount = billable.unit_price * units - amount
    line = _line(billable, units, amount, discount)
    if billable.with_tax or not billable.more_tax:
        return line
    more, ordered = billable.more_tax, billable.ordered
    size, sign = abs(more), 1 if more > 0 else -1
    part = part_up_to(size, end, ordered) - part_up_to(size, begin, ordered)
    return replace(line, more_tax=sign * part)


def _line(billable: Billable, units: int, amount: int, discount: int) -> InvoiceLine:
    percent = billable.percent
    if billable.with_tax:
        net, paid = amount - tax_inside(amount, percent), amount
    else:
        net, paid = amount, amount + tax_on(amount, percent)
    return InvoiceLine(
        billable.line,
        billable.sku,
        billable.title,
        units,
        billable.unit_price,
        discount,
        net,
        paid,
        percent,
    )


def tax_on(net: int, percent: Decimal) -> int:
    """Returns the tax on a net amount, rounded half up: `round(net * r)`.

    >>> tax_on(2498, Decimal(20))
    500
    """
    over, under = percent.as_integer_ratio()
    tax = part_half_up(abs(net), over, 100 * under)
    return tax if net >= 0 else -tax


def delivery_lines(
    amount: int, lines: Sequence[InvoiceLine], title: str, *, with_tax: bool
) -> list[InvoiceLine]:
    """Returns the lines of a delivery charge: one for each rate, split by the net amounts of the
    goods."""
    if not amount:
        return []
    nets: dict[Decimal, int] = {}
    for line in lines:
        nets[line.percent] = nets.get(line.percent, 0) + line.net
    rates = list(nets) or [Decimal(0)]
    parts = spread(amount, [max(0, net) for net in nets.values()] or [1])
    found = []
    for percent, part in zip(rates, parts, strict=True):
        if part:
            billable = Billable(0, "", title, 1, 0, part, 0, percent, with_tax)
            made = _line(billable, 1, part, 0)
            found.append(InvoiceLine(None, *list(vars(made).values())[1:]))
    return found


def sums_of(lines: Iterable[InvoiceLine], *, with_tax: bool) -> InvoiceSums:
    """Returns the sums of an invoice.

    What the buyer paid stays what is payable where the prices have the tax inside; where they have
    not, the total is payable, with what the source of the order added beyond the tax on it.
    """
    found = list(lines)
    nets: dict[Decimal, int] = {}
    for line in found:
        nets[line.percent] = nets.get(line.percent, 0) + line.net
    rates = tuple(
        RateSum(percent, net, tax_on(net, percent)) for percent, net in sorted(nets.items())
    )
    net, tax = sum(rate.net for rate in rates), sum(rate.tax for rate in rates)
    total = net + tax
    more = sum(line.more_tax for line in found)
    payable = sum(line.paid for line in found) if with_tax else total + more
    return InvoiceSums(rates, net, tax, total, payable)


def brought_to(lines: Sequence[InvoiceLine], amount: int, *, with_tax: bool) -> list[InvoiceLine]:
    """Returns lines that come to an amount with tax, spread by what each came to; the difference
    stands as their discount."""
    parts = spread(amount, [max(0, line.paid) for line in lines])
    found = []
    for line, part in zip(lines, parts, strict=True):
        net = part - tax_inside(part, line.percent)
        priced = part if with_tax else net
        discount = line.unit_price * line.quantity - priced
        found.append(replace(line, paid=part, net=net, discount=discount))
    return found
