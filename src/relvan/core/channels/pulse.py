"""How late a channel hears of sales, hour by hour: what its pulse is drawn from."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

BARS, EACH = 36, timedelta(minutes=10)
DRAWN_TO_S = 30.0  # a bar of full height; longer ones are said in words


@dataclass(frozen=True)
class Beat:
    """The sales that a channel heard of in ten minutes: how many, and the seconds within which half, and 95 percent,
    were there. `height` is how high it is drawn, 0 to 1."""

    since: datetime
    count: int
    half: float
    most: float

    @property
    def height(self) -> float:
        """By the square root, so that a second can be told from two and half a minute is still on the page."""
        return min(1.0, float((self.most / DRAWN_TO_S) ** 0.5)) if self.count else 0.0


def percentile(ordered: Sequence[float], share: float) -> float:
    """The smallest of the values, in rising order, that at least this share of them do not exceed; 0 of none.

    >>> percentile([1, 2, 3, 4], 0.5), percentile([1, 2, 3, 4], 0.95), percentile([], 0.5)
    (2, 4, 0.0)
    """
    if not ordered:
        return 0.0
    place = -(-len(ordered) * round(share * 10_000) // 10_000)
    return ordered[max(0, min(len(ordered), place) - 1)]


def pulse(samples: Iterable[tuple[datetime, float]], now: datetime) -> tuple[Beat, ...]:
    """The last six hours in bars of ten minutes, from (when it was accepted, seconds)."""
    start = now - BARS * EACH
    held: list[list[float]] = [[] for _ in range(BARS)]
    for at, seconds in samples:
        bar = int((at - start) / EACH)
        if 0 <= bar < BARS:
            held[bar].append(seconds)
    return tuple(
        Beat(start + number * EACH, len(found), percentile(sorted(found), 0.5), percentile(sorted(found), 0.95))
        for number, found in enumerate(held)
    )
