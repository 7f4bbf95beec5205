"""Explains the prices of one channel from those of another: as price steps, such as 8 % more and
ending in 99, or else as a list of its own.
"""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from statistics import median

from relvan.core.money import Money
from relvan.core.prices.rates import NO_RATES, Rates
from relvan.core.prices.steps import (
    AmountStep,
    ConvertStep,
    Direction,
    EndingStep,
    PercentStep,
    PriceStep,
    PriceTerms,
    after_step,
)

ENOUGH = 0.98  # so many of the prices must come out right for steps to be proposed
LEAST_PAIRS = 3
TRIED = 60
LOOKED_INTO = 12  # of all steps that explain some of the prices best
ENDINGS: tuple[tuple[int, ...], ...] = ((99,), (95,), (90,), (50,), (0,), (49, 99), (0, 50))


@dataclass(frozen=True)
class Explained:
    """How the prices of a channel follow from the list: the steps, and how many of the prices come
    out right by them.
    """

    steps: tuple[PriceStep, ...]
    right: int
    of: int

    @property
    def enough(self) -> bool:
        """Says whether the steps explain nearly all prices."""
        return self.of >= LEAST_PAIRS and self.right >= ENOUGH * self.of


def explain(
    pairs: Sequence[tuple[int, int]], source: str, target: str, rates: Rates = NO_RATES
) -> Explained:
    """Returns the steps that lead from list prices to the prices of a channel for most of the pairs
    (list price, price there), both in minor units. The plainest steps win.
    """
    first: tuple[PriceStep, ...] = () if source == target else (ConvertStep(target),)
    terms = PriceTerms(rates=rates)
    converted = [_led(base, source, first, terms) for base, _ in pairs]
    known = [(base, there) for base, (_, there) in zip(converted, pairs, strict=True) if base]
    if not known:
        return Explained(first, 0, len(pairs))
    some = known[:: max(1, len(known) // TRIED)]
    tried = [(_right(steps, some, target), steps) for steps in _candidates(known, some)]
    most = max(hits for hits, _ in tried)
    near = [steps for hits, steps in tried if hits >= most - 1][:LOOKED_INTO]
    best: tuple[PriceStep, ...] = ()
    right = -1
    for steps in near:  # the plainest first: another one must explain more
        hits = _right(steps, known, target)
        if hits > right:
            best, right = steps, hits
    return Explained((*first, *best), right, len(pairs))


def _led(amount: int, currency: str, steps: Sequence[PriceStep], terms: PriceTerms) -> int:
    money: Money | str = Money(amount, currency)
    for step in steps:
        money = after_step(money, step, terms) if isinstance(money, Money) else money
    return money.amount if isinstance(money, Money) else 0


def _right(steps: Sequence[PriceStep], pairs: Sequence[tuple[int, int]], currency: str) -> int:
    terms = PriceTerms()
    return sum(_led(base, currency, steps, terms) == there for base, there in pairs)


def _candidates(
    known: Sequence[tuple[int, int]], pairs: Sequence[tuple[int, int]]
) -> list[tuple[PriceStep, ...]]:
    """Returns steps to try, the plainest first: a percentage or an amount, with an ending or
    without. The percentage is near that of some pairs, and finer near that of all.
    """
    ratio = median(Decimal(there) / base for base, there in pairs)
    middle = (ratio - 1) * 100
    halves = [Decimal(number) / 2 for number in range(-12, 13)]
    near = sorted(
        {round(middle) + half for half in halves}, key=lambda p: (p % 1 != 0, abs(p - middle))
    )
    moves: list[tuple[PriceStep, ...]] = [()]
    moves += [(PercentStep(percent),) for percent in near if percent and -100 < percent <= 1000]
    amount = round(median(there - base for base, there in pairs))
    moves += [
        (AmountStep(near),) for near in {amount, round(amount, -1), round(amount, -2)} if near
    ]
    whole = sum(there for _, there in known) / Decimal(sum(base for base, _ in known))
    for fine in (middle, (whole - 1) * 100):
        percent = fine.quantize(Decimal("0.01"))
        moves += [(PercentStep(percent + Decimal(at) / 100),) for at in (0, -1, 1)]
    endings = _endings(pairs)
    ways: tuple[Direction, ...] = ("nearest", "up", "down")
    ended = [
        (*move, EndingStep(ending, way)) for ending in endings for move in moves for way in ways
    ]
    return [*moves, *ended]


def _endings(pairs: Sequence[tuple[int, int]]) -> list[tuple[int, ...]]:
    """Returns the endings that nearly all prices have."""
    counted = Counter(there % 100 for _, there in pairs)
    found = [
        ending
        for ending in ENDINGS
        if sum(counted[end] for end in ending) >= 0.9 * len(pairs)
        and all(counted[e] for e in ending)
    ]
    common = counted.most_common(1)[0]
    if not found and common[1] >= 0.9 * len(pairs):
        found = [(common[0],)]
    return found
