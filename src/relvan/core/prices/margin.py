"""Works out the margin of a list price from tax and cost. Fees and delivery depend on a channel and
are not counted here."""

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal

from relvan.core.money import as_decimal
from relvan.core.orders.tax import TAX_PERCENT, tax_inside
from relvan.core.why import Why


@dataclass(frozen=True)
class Margin:
    """The profit in minor units, and its share of the price without tax in percent, to one decimal."""

    profit: int
    percent: Decimal
    why: Why

    @property
    def words(self) -> str:
        """The share in words."""
        return f"{self.percent} %"


def margin_of(
    amount: int,
    cost: int,
    *,
    tax_code: str,
    tax_inside: bool,
    currency: str = "EUR",
    tax_percent: Mapping[str, Decimal] = TAX_PERCENT,
) -> Margin:
    """Returns the margin of a list price; price and cost are in minor units of one currency.

    >>> margin_of(2823, 1150, tax_code="zero", tax_inside=True).words
    '59.3 %'
    """
    rate = tax_percent[tax_code]
    tax = _tax(amount, rate) if tax_inside else 0
    net = amount - tax
    profit = net - cost
    percent = (Decimal(profit) * 100 / net).quantize(Decimal("0.1")) if net else Decimal(0)
    why = Why().then(
        "List price", as_decimal(amount, currency), "tax inside" if tax_inside else "without tax"
    )
    if tax_inside:
        why = why.then("Tax", as_decimal(-tax, currency), f"{rate} % inside")
    why = why.then("Price without tax", as_decimal(net, currency))
    why = why.then("Cost", as_decimal(-cost, currency)).then("Profit", as_decimal(profit, currency))
    return Margin(
        profit, percent, why.then("Margin", f"{percent} %", "profit of the price without tax")
    )


def _tax(amount: int, rate: Decimal) -> int:
    return tax_inside(amount, rate)
