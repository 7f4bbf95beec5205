"""How to talk to a channel: what goes first, how long to wait after a failure, when to stop trying for a while."""

from dataclasses import dataclass
from enum import IntEnum, StrEnum


class Urgency(IntEnum):
    """Order of sending: the lower goes first. What could oversell goes before what could undersell."""

    QUANTITY_TO_ZERO = 1
    QUANTITY_DOWN = 2
    ORDER_NEWS = 3
    PRICE = 4
    QUANTITY_UP = 5
    CONTENT = 6
    PICTURES = 7


class Topic(StrEnum):
    """What an update is about; one waiting entry for each (channel, thing, topic)."""

    PUBLISH = "publish"
    CONTENT = "content"
    PICTURES = "pictures"
    PRICE = "price"
    QUANTITY = "quantity"
    SHOWN = "shown"
    ACKNOWLEDGE = "acknowledge"
    TRACKING = "tracking"


FIRST_WAIT_S = 0.5
LONGEST_WAIT_S = 300.0
FAILURES_TO_TROUBLE = 5
FIRST_PROBE_S = 5.0
LONGEST_PROBE_S = 20.0  # it is back for its buyers at once, and what they buy is to be known


def quantity_urgency(before: int | None, after: int, *, precaution: bool = False) -> Urgency:
    """How urgent a quantity is, from what the channel shows and what it should show. What falls only by `precaution`,
    since more is held back, goes after what was sold."""
    if precaution and (before is None or after < before):
        return Urgency.ORDER_NEWS
    if after == 0:
        return Urgency.QUANTITY_TO_ZERO
    if before is None or after < before:
        return Urgency.QUANTITY_DOWN
    return Urgency.QUANTITY_UP


def topic_urgency(topic: Topic) -> Urgency:
    """How urgent every other topic is."""
    if topic in (Topic.ACKNOWLEDGE, Topic.TRACKING):
        return Urgency.ORDER_NEWS
    if topic == Topic.PRICE:
        return Urgency.PRICE
    if topic == Topic.SHOWN:
        return Urgency.QUANTITY_DOWN
    return Urgency.PICTURES if topic == Topic.PICTURES else Urgency.CONTENT


def retry_wait(attempt: int, chance: float, asked_s: float | None = None) -> float:
    """Seconds to wait after the `attempt`-th failure (from 1): doubling, jittered by `chance` in [0, 1).

    Full half jitter: between half and the whole of the doubled wait. What the channel asked for is obeyed.
    Source of the idea: exponential backoff with jitter, as in RFC 9110, section 10.2.3 for `Retry-After`.
    """
    whole = min(LONGEST_WAIT_S, FIRST_WAIT_S * 2.0 ** min(attempt - 1, 20))
    wait = whole / 2 + whole / 2 * chance
    return max(wait, asked_s + chance * 0.25) if asked_s is not None else wait


@dataclass(frozen=True)
class Breaker:
    """Whether a channel is in trouble: failures in a row, and seconds to wait before the next probe."""

    failures: int = 0

    @property
    def in_trouble(self) -> bool:
        """Paused, but for a probe now and then."""
        return self.failures >= FAILURES_TO_TROUBLE

    def after(self, *, ok: bool) -> "Breaker":
        """The breaker after one more call; one success heals it."""
        return Breaker(0 if ok else self.failures + 1)

    def probe_wait(self, chance: float) -> float:
        """Seconds until the next probe while in trouble."""
        doubled = FIRST_PROBE_S * 2.0 ** min(self.failures - FAILURES_TO_TROUBLE, 10)
        return min(LONGEST_PROBE_S, doubled) * (0.75 + chance / 4)


@dataclass(frozen=True)
class TokenBucket:
    """A rate limit kept on our side: `level` calls may be made now, `rate` more each second, up to `burst`."""

    rate: float
    burst: int
    level: float
    at: float

    def at_time(self, now: float) -> "TokenBucket":
        """The bucket refilled up to `now` (seconds)."""
        level = min(float(self.burst), self.level + max(0.0, now - self.at) * self.rate)
        return TokenBucket(self.rate, self.burst, level, now)

    def take(self, now: float) -> tuple["TokenBucket", float]:
        """Take one call; with it the seconds to wait first (0 when there is one at once)."""
        bucket = self.at_time(now)
        wait = 0.0 if bucket.level >= 1 else (1 - bucket.level) / bucket.rate
        return TokenBucket(bucket.rate, bucket.burst, bucket.level - 1, now), wait
