"""The delay with which a channel shows sales, hour by hour: the values that its pulse is drawn
from."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

BARS, EACH = 36, timedelta(minutes=10)
DRAWN_TO_S = 30.0  # a bar of full height; longer ones are said in words


@dataclass(frozen=True)
class Beat:
    """The sales that reached a channel in ten minutes: how many there were, and the seconds within
    which half of them and 95 percent of them arrived. `height` is how high the bar is drawn, from 0
    to 1."""

    since: datetime
    count: int
    half: float
    most: float

    @property
    def height(self) -> float:
        """The height of the bar. It follows the square root of the seconds, so that one second
        differs visibly from two and half a minute still fits on the page."""
        return min(1.0, float((self.most / DRAWN_TO_S) ** 0.5)) if self.count else 0.0


def percentile(ordered: Sequence[float], share: float) -> float:
    """Returns the smallest of the values that at least this share of them does not exceed. The
    values are in rising order; the result is 0 when there are none.

    >>> percentile([1, 2, 3, 4], 0.5), percentile([1, 2, 3, 4], 0.95), percentile([], 0.5)
    (2, 4, 0.0)
    """
    if not ordered:
        return 0.0
    place = -(-len(ordered) * round(share * 10_000) // 10_000)
    return ordered[max(0, min(len(ordered), place) - 1)]


def pulse(samples: Iterable[tuple[datetime, float]], now: datetime) -> tuple[Beat, ...]:
    """Returns the last six hours in bars of ten minutes, from (moment of acceptance, seconds) of
    each sale."""
    start = now - BARS * EACH
    held: list[list[float]] = [[] for _ in range(BARS)]
    for at, seconds in samples:
        bar = int((at - start) / EACH)
        if 0 <= bar < BARS:
            held[bar].append(seconds)
    return tuple(
        Beat(
            start + number * EACH,
            len(found),
            percentile(sorted(found), 0.5),
            percentile(sorted(found), 0.95),
        )
        for number, found in enumerate(held)
    )
