"""The lowest price that still covers something: fees, or fees, cost and delivery with a margin. See docs/rules.md,
“Prices”.

Fees are rounded part by part, so that what is left of a price goes up unevenly: the lowest price that does it may have
a higher neighbour that does not. It is found by bounding it with the fees as they would be without rounding, and by
trying every price from there. Amounts are minor units.
"""

from collections.abc import Callable
from dataclasses import dataclass
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal

from relvan.core.listings.rulebook import FeeRule
from relvan.core.money import MOST_MINOR
from relvan.core.orders.tax import tax_inside
from relvan.core.prices.fees import fees_of

MOST_TRIED = 1_000_000
HALF = Decimal("0.5")


@dataclass(frozen=True)
class Line:
    """What is left of a price before rounding: `share` of it, less a fixed amount; with at most so much `slack` by
    rounding either way."""

    share: Decimal
    less: Decimal
    slack: Decimal

    def least(self, wanted: Decimal) -> int | None:
        """No price below this one leaves what is wanted; none when no price can, however high."""
        short = wanted + self.less - self.slack
        if self.share > 0:
            return max(1, int((short / self.share).to_integral_value(ROUND_CEILING)))
        return 1 if short <= 0 else None

    def most(self, wanted: Decimal) -> int:
        """No price above this one leaves what is wanted, where every unit more leaves less."""
        if self.share >= 0:
            return MOST_MINOR
        return int(((self.slack - wanted - self.less) / -self.share).to_integral_value(ROUND_FLOOR))


def lowest_covering(wanted: int, rule: FeeRule, category: str = "") -> int | None:
    """The lowest price that leaves at least `wanted` after the channel's fees; none when no price does.

    >>> rule = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent="2.9")
    >>> [lowest_covering(wanted, rule) for wanted in (2400, 100, 999)]
    [2966, 170, 1260]
    """
    lines = _fee_lines(rule, category, Decimal(1), Decimal(0))
    return _lowest(lines, Decimal(wanted), lambda price: price - fees_of(price, rule, category).total >= wanted)


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
    does it. `margin` below 100.

    >>> rule = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent="2.9")
    >>> lowest_with_margin(Decimal(12), rule, cost=1150, delivery=380, tax_percent=Decimal(20))
    2823
    """
    kept = 1 - margin / 100
    spent = Decimal(cost + delivery)

    def leaves(price: int) -> bool:
        net = price - tax_inside(price, tax_percent)
        profit = net - fees_of(price, rule, category).total - cost - delivery
        return net > 0 and profit * 100 >= margin * net

    share = kept * 100 / (100 + tax_percent)
    return _lowest(_fee_lines(rule, category, share, HALF * abs(kept)), spent, leaves)


def _fee_lines(rule: FeeRule, category: str, share: Decimal, slack: Decimal) -> tuple[Line, Line]:
    """What is left of a price after fees: by the share of the price, and by the least referral fee. The true one is
    the lower of both."""
    referral, processing = rule.percent_in(category) / 100, rule.processing_percent / 100
    fixed = Decimal(rule.fixed)
    return (
        Line(share - referral - processing, fixed, slack + 2 * HALF),
        Line(share - processing, fixed + rule.least_referral, slack + HALF),
    )


def _lowest(lines: tuple[Line, ...], wanted: Decimal, leaves: Callable[[int], bool]) -> int | None:
    starts = [line.least(wanted) for line in lines]
    stop = min(MOST_MINOR, *(line.most(wanted) for line in lines))
    start = max((start for start in starts if start is not None), default=1)
    if None in starts or start > stop:
        return None
    return next((price for price in range(start, min(stop, start + MOST_TRIED) + 1) if leaves(price)), None)
