"""The lowest price that still covers something: fees, or fees, cost and delivery with a margin. See docs/rules.md,
“Prices”.

Fees are rounded part by part, so that what is left of a price goes up unevenly: the lowest price that does it may have
a higher neighbour that does not. It is found by bounding it with the fees as they would be without rounding, and by
trying every price from there. Amounts are minor units.
"""

import math
from collections.abc import Callable
from decimal import Decimal
from typing import NamedTuple

from relvan.core.listings.rulebook import FeeRule
from relvan.core.money import MOST_MINOR
from relvan.core.orders.tax import net_in
from relvan.core.prices.fees import fees_in

MOST_TRIED = 1_000_000
FEES_OFF = 1.000001  # what the two parts of the fees can be off by together by rounding, and floating point with them
TAX_OFF = 0.5


class Line(NamedTuple):
    """What is left of a price, `off` by at most so much by rounding: `share` of it, less a fixed amount."""

    share: float
    less: float
    off: float

    def least(self, wanted: float) -> int | None:
        """No price below this one leaves what is wanted; none when no price can, however high."""
        short = wanted + self.less - self.off
        if self.share > 0:
            return max(1, math.floor(short / self.share))
        return 1 if short <= 0 else None

    def most(self, wanted: float) -> int:
        """No price above this one leaves what is wanted, where every unit more leaves less."""
        if self.share > -1e-9:
            return MOST_MINOR
        return math.ceil((self.off - wanted - self.less) / -self.share)


def lowest_covering(wanted: int, rule: FeeRule, category: str = "") -> int | None:
    """The lowest price that leaves at least `wanted` after the channel's fees; none when no price does.

    >>> rule = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent="2.9")
    >>> [lowest_covering(wanted, rule) for wanted in (2400, 100, 999)]
    [2966, 170, 1260]
    """
    lines = _fee_lines(rule, category, 1.0, FEES_OFF)
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
    """The lowest price of whose net (without the tax inside) at least `margin` percent is profit; none when no price
    does it. `margin` from -100 to below 100.

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

    kept = 1 - float(margin) / 100
    lines = _fee_lines(rule, category, kept * 100 / (100 + float(tax_percent)), FEES_OFF + kept * TAX_OFF)
    return _lowest(lines, spent, leaves)


def _fee_lines(rule: FeeRule, category: str, share: float, off: float) -> tuple[Line, Line]:
    """What is left of a price after fees: by the share of the price, and by the least referral fee. The true one is
    the lower of both."""
    shares = rule.shares_in(category)
    by_least = share - shares.processing / shares.processing_of
    return Line(share - shares.together, rule.fixed, off), Line(by_least, rule.fixed + rule.least_referral, off)


def _lowest(lines: tuple[Line, ...], wanted: int, leaves: Callable[[int], bool]) -> int | None:
    start, stop = 1, MOST_MINOR
    for line in lines:
        least = line.least(wanted)
        if least is None:
            return None
        start, stop = max(start, least), min(stop, line.most(wanted))
    return next((price for price in range(start, min(stop, start + MOST_TRIED) + 1) if leaves(price)), None)
