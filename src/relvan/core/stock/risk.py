"""The buffer by risk: how many units a channel keeps back so that sales elsewhere, before it shows
them, seldom exceed what there is. See docs/rules.md, “What is free”.

Until a channel shows a sale, the pool goes on selling. The number sold in that time is taken as a
Poisson variable; its mean is what is sold on average in that time. Source: S. D. Poisson, 1837 (the
sum of independent rare events).
"""

import math
from datetime import timedelta
from functools import lru_cache

from relvan.core.refusal import Refusal

MOST_HELD = 1_000_000
MOST_MEAN = 100_000.0
HALF_AFTER = timedelta(days=7)


def hold_back_by_risk(sold_a_minute: float, lag_minutes: float, risk: float) -> int:
    """Returns the smallest number of units that sales within the delay exceed with a probability of
    at most `risk`. `sold_a_minute` are units of the pool over all channels; `lag_minutes` is the
    time from a sale until every other channel shows it; `risk` is above 0 and below 1.

    >>> [hold_back_by_risk(*one) for one in ((0.02, 5, 0.001), (0.2, 5, 0.001), (1.5, 2, 0.01), (0, 5, 0.001))]
    [2, 5, 8, 0]
    """
    return hold_back_of(max(0.0, sold_a_minute) * max(0.0, lag_minutes), risk)


@lru_cache(maxsize=50_000)
def hold_back_of(mean: float, risk: float) -> int:
    """Returns the same for the number of units that are expected to be sold before the channel
    shows it."""
    mean = min(MOST_MEAN, mean)
    if mean <= 0:
        return 0
    start = max(
        0, math.floor(mean - 12 * math.sqrt(mean)) - 1
    )  # below that, nobody would see a chance
    held, likely = start, math.exp(start * math.log(mean) - mean - math.lgamma(start + 1))
    within = likely
    while 1 - within > risk and held < MOST_HELD:
        held += 1
        likely *= mean / held
        within += likely
        if (
            likely < 1e-18 and held > mean
        ):  # all that is left is smaller than what a float can tell from 1
            break
    return held


def fades(units: float, age: timedelta) -> float:
    """Returns what units that were oversold some time ago still count for: half of it after each
    week.

    >>> fades(4, timedelta(0)), fades(4, timedelta(days=7)), fades(4, timedelta(days=14))
    (4.0, 2.0, 1.0)
    """
    return float(units * 0.5 ** (max(0.0, age / HALF_AFTER)))


def check_risk(risk: float) -> list[Refusal]:
    """Checks that a probability is plausible."""
    if 0.000001 <= risk <= 0.5:
        return []
    message = f"“Risk” must be between 0.000001 and 0.5; it got {risk}."
    return [Refusal("out-of-range", message, "Like 0.001: one time in a thousand.", "risk")]
