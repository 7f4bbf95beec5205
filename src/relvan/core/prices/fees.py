"""Works out what a channel keeps of a sale, and the margin that remains of a price. See
docs/rules.md, “Prices”.

Amounts are in minor units; each part of the fees is rounded half up.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from typing import NamedTuple

from relvan.core.listings.rulebook import FeeRule
from relvan.core.money import as_decimal, part_half_up, round_half_up
from relvan.core.orders.tax import TAX_PERCENT, tax_inside
from relvan.core.why import Why


class Fees(NamedTuple):
    """The parts of what a channel keeps of a price."""

    referral: int
    fixed: int
    processing: int

    @property
    def total(self) -> int:
        """All of it."""
        return self.referral + self.fixed + self.processing


def fees_of(price: int, rule: FeeRule, category: str = "") -> Fees:
    """Returns what a channel keeps of a price.

    >>> rule = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent="2.9")
    >>> [fees_of(price, rule).total for price in (2966, 170, 1260)]
    [566, 70, 261]
    """
    shares = rule.shares_in(category)
    referral = max(rule.least_referral, part_half_up(price, shares.referral, shares.referral_of))
    return Fees(referral, rule.fixed, part_half_up(price, shares.processing, shares.processing_of))


def fees_in(rule: FeeRule, category: str) -> Callable[[int], int]:
    """Returns a function that gives the fees of any price in a category; it is `fees_of` prepared
    for many prices."""
    referral, referral_of, processing, processing_of = rule.shares_in(category)
    least, fixed = rule.least_referral, rule.fixed

    def total(price: int) -> int:
        share = (2 * price * referral + referral_of) // (2 * referral_of)
        return (
            (least if share < least else share)
            + fixed
            + (2 * price * processing + processing_of) // (2 * processing_of)
        )

    return total


@dataclass(frozen=True)
class MarginOfOne:
    """The margin of a price after tax, fees, cost and delivery; `percent` is its share of the price
    without tax, to a tenth."""

    amount: int
    percent: Decimal
    fees: Fees
    why: Why


def margin_of_one(
    price: int, rule: FeeRule, *, tax_percent: Decimal, category: str, spent: int
) -> tuple[int, int | None]:
    """Returns what remains of the sale of one unit, in minor units, after the tax inside, the fees
    and what was `spent` on it, and its share of the net price in thousandths, rounded half up (None
    when there is no net price).

    >>> rule = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent="2.9")
    >>> margin_of_one(2823, rule, tax_percent=Decimal(20), category="", spent=1530)
    (283, 120)
    """
    net = price - (tax_inside(price, tax_percent) if tax_percent else 0)
    margin = net - fees_of(price, rule, category).total - spent
    return margin, (2000 * margin + net) // (2 * net) if net > 0 else None


@dataclass(frozen=True)
class SoldOne:
    """What is known of a sale of one: the channel's currency and category; the tax of the product
    (its code, and the percentage by code) and whether the price holds it; its `cost` and `delivery`
    in minor units of the seller's currency, which come over by `rate` (theirs for one of ours) when
    the channel sells in another.
    """

    currency: str
    cost: int | None
    delivery: int | None = 0
    tax_code: str = "standard"
    tax_inside: bool = True
    tax: Mapping[str, Decimal] = field(default_factory=lambda: TAX_PERCENT)
    category: str = ""
    rate: Decimal | None = None


def margin_with_why(
    price: int,
    rule: FeeRule,
    sold: SoldOne,
) -> MarginOfOne:
    """Returns the margin of the sale of one with its why, in minor units of the channel's currency.

    >>> rule = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent="2.9")
    >>> margin_with_why(2823, rule, SoldOne("EUR", cost=1150, delivery=380)).amount
    283
    """
    currency, rate = sold.currency, sold.rate
    percent_of_tax = sold.tax.get(sold.tax_code, Decimal(0)) if sold.tax_inside else Decimal(0)
    tax = tax_inside(price, percent_of_tax) if percent_of_tax else 0
    fees = fees_of(price, rule, sold.category)
    why = Why().then("Price there", as_decimal(price, currency), currency)
    if tax:
        why = why.then(
            "Tax", as_decimal(-tax, currency), f"{percent_of_tax.normalize():f} % inside"
        )
    net = price - tax
    share = f"{rule.percent_in(sold.category).normalize():f} % of the price"
    if rule.least_referral:
        share += f", at least {as_decimal(rule.least_referral, currency)}"
    for label, amount, detail in (
        ("Referral fee", fees.referral, share),
        ("Fixed fee", fees.fixed, "for each sale"),
        ("Payment fee", fees.processing, f"{rule.processing_percent.normalize():f} % of the price"),
    ):
        if amount:
            why = why.then(label, as_decimal(-amount, currency), detail)
    ours = 0
    for label, given in (("Cost", sold.cost), ("Delivery", sold.delivery)):
        if given is None:
            why = why.then(label, "not known", "the product does not say it")
        elif not given and label == "Delivery":
            why = why.then(
                label, 0, "counted at nothing: the channel's set-up says what it is counted at"
            )
        elif given:
            there = given if rate is None else round_half_up(given * rate)
            ours += there
            why = why.then(
                label,
                as_decimal(-there, currency),
                "" if rate is None else f"at {rate:.6g} {currency} for one",
            )
    amount = net - fees.total - ours
    percent = (Decimal(amount) * 100 / net).quantize(Decimal("0.1")) if net else Decimal(0)
    why = why.then("Margin", as_decimal(amount, currency), f"{percent} % of the price without tax")
    return MarginOfOne(amount, percent, fees, why)
