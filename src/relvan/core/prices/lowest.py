"""Finds the lowest price that still covers something: the fees, or fees, cost and delivery with a
margin. See docs/rules.md, “Prices”.

Fees are rounded part by part, so what remains of a price rises unevenly: the lowest price that
covers may have a higher neighbour that does not. The search first bounds the price by the fees
without rounding, then tries every price from there. Amounts are in minor units.
"""

from collections.abc import Callable
from decimal import Decimal
from fractions import Fraction
from functools import lru_cache
from typing import NamedTuple

from relvan.core.listings.rulebook import FeeRule, Shares
from relvan.core.money import MOST_MINOR
from relvan.core.orders.tax import net_in
from relvan.core.prices.fees import fees_in

MOST_TRIED = 1_000_000
FEES_OFF = Fraction(1)  # what the two parts of the fees can be off by together, by rounding
TAX_OFF = Fraction(1, 2)


class BoundLine(NamedTuple):
    """What remains of a price without rounding: the share `over / under` of it, less a fixed
    amount in minor units. Rounding changes it by at most `off / off_of` minor units. All are whole
    numbers, so that the bounds are exact."""

    over: int
    under: int
    less: int
    off: int
    off_of: int

    def least(self, wanted: int) -> int | None:
        """Returns a price below which no price leaves what is wanted; None when no price does,
        however high."""
        short = (wanted + self.less) * self.off_of - self.off
        if self.over > 0:
            return max(1, short * self.under // (self.off_of * self.over))
        return 1 if short <= 0 else None

    def most(self, wanted: int) -> int:
        """Returns a price above which no price leaves what is wanted; it matters where every unit
        more leaves less."""
        if self.over >= 0:
            return MOST_MINOR
        short = (wanted + self.less) * self.off_of - self.off
        return -(short * self.under // (self.off_of * -self.over))


def lowest_covering(wanted: int, rule: FeeRule, category: str = "") -> int | None:
    """Returns the lowest price that leaves at least `wanted` after the channel's fees; None when no
    price does.

    >>> rule = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent="2.9")
    >>> [lowest_covering(wanted, rule) for wanted in (2400, 100, 999)]
    [2966, 170, 1260]
    """
    lines = _fee_lines(rule.shares_in(category), rule.fixed, rule.least_referral)
    kept = fees_in(rule, category)
    return _lowest(lines, wanted, lambda price: price - kept(price) >= wanted)


def lowest_with_margin(
    margin: Decimal,
    rule: FeeRule,
    *,
    cost: int,
    delivery: int = 0,
    tax_percent: Decimal = Decimal(0),
    category: str = "",
) -> int | None:
    """Returns the lowest price of whose net (without the tax inside) at least `margin` percent is
    profit; None when no price is. `margin` is from -100 to below 100.

    >>> rule = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent="2.9")
    >>> lowest_with_margin(Decimal(12), rule, cost=1150, delivery=380, tax_percent=Decimal(20))
    2823
    """
    spent = cost + delivery
    over, under = margin.as_integer_ratio()
    net_of, fees = net_in(tax_percent), fees_in(rule, category)

    def leaves(price: int) -> bool:
        net = net_of(price)
        return net > 0 and (net - fees(price) - spent) * 100 * under >= over * net

    shares = rule.shares_in(category)
    lines = _fee_lines(shares, rule.fixed, rule.least_referral, margin, tax_percent)
    return _lowest(lines, spent, leaves)


@lru_cache(4_096)
def _fee_lines(
    shares: Shares,
    fixed: int,
    least_referral: int,
    margin: Decimal | None = None,
    tax_percent: Decimal = Decimal(0),
) -> tuple[BoundLine, BoundLine]:
    """What remains of a price after fees, or, with a margin, of its part without tax that is not
    profit: by the share of the price, and by the least referral fee. The true remainder is the
    lower of both. The same for all prices, so it is worked out once."""
    referral = Fraction(shares.referral, shares.referral_of)
    processing = Fraction(shares.processing, shares.processing_of)
    share, off = Fraction(1), FEES_OFF
    if margin is not None:
        kept = 1 - Fraction(margin) / 100
        share, off = kept * 100 / (100 + Fraction(tax_percent)), FEES_OFF + kept * TAX_OFF
    return (
        _line(share - referral - processing, fixed, off),
        _line(share - processing, fixed + least_referral, off),
    )


def _line(share: Fraction, less: int, off: Fraction) -> BoundLine:
    return BoundLine(share.numerator, share.denominator, less, off.numerator, off.denominator)


def _lowest(lines: tuple[BoundLine, ...], wanted: int, leaves: Callable[[int], bool]) -> int | None:
    start, stop = 1, MOST_MINOR
    for line in lines:
        least = line.least(wanted)
        if least is None:
            return None
        start, stop = max(start, least), min(stop, line.most(wanted))
    return next(
        (price for price in range(start, min(stop, start + MOST_TRIED) + 1) if leaves(price)), None
    )
