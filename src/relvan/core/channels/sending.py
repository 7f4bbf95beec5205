"""The rules for sending updates to a channel: which go first, how long to wait after a failure, and
when to stop trying for a while."""

from dataclasses import dataclass
from enum import IntEnum, StrEnum


class Urgency(IntEnum):
    """The order of sending: a lower number goes first. Updates whose delay could oversell go before
    those whose delay could undersell."""

    QUANTITY_TO_ZERO = 1
    QUANTITY_DOWN = 2
    ORDER_NEWS = 3
    PRICE = 4
    QUANTITY_UP = 5
    CONTENT = 6
    PICTURES = 7


class UpdateState(StrEnum):
    """How far an update has come. It waits, is being sent, or is handed in to a channel that
    answers later; it ends in one of the other four states."""

    WAITING = "waiting"
    SENDING = "sending"
    HANDED_IN = "handed in"
    ACCEPTED = "accepted"
    REFUSED = "refused"
    REPLACED = "overtaken"  # a newer one on the same topic was sent instead
    DROPPED = "dropped"  # it is no longer wanted


# updates that have no answer yet
OPEN_UPDATES = (UpdateState.WAITING, UpdateState.SENDING, UpdateState.HANDED_IN)


class Topic(StrEnum):
    """What an update is about. At most one update waits for each channel, subject and topic."""

    PUBLISH = "publish"
    CONTENT = "content"
    PICTURES = "pictures"
    PRICE = "price"
    QUANTITY = "quantity"
    SHOWN = "shown"
    ACKNOWLEDGE = "acknowledge"
    TRACKING = "tracking"
    TAKEN_OFF = "taken off"
    REFUNDED = "refunded"


# what a channel is told of its orders
ORDER_NEWS = (Topic.ACKNOWLEDGE, Topic.TRACKING, Topic.TAKEN_OFF, Topic.REFUNDED)
FIRST_SERIES, MOST_IN_SERIES = 8, 24
SERIES_S = 0.15  # a series that has taken so long ends, for something more urgent may wait
FIRST_WAIT_S = 0.5
LONGEST_WAIT_S = 300.0
FAILURES_TO_TROUBLE = 5
FIRST_PROBE_S = 5.0
LONGEST_PROBE_S = 20.0  # it is back for its buyers at once, and what they buy is to be known


class CallTimes:
    """How long calls to channels took lately, by channel and topic, as far as this process made some."""

    def __init__(self) -> None:
        self._seconds: dict[tuple[int, str], float] = {}

    def note(self, channel_id: int, topic: Topic, seconds: float) -> None:
        """Notes how long a call took; calls of before count half."""
        before = self._seconds.get((channel_id, topic), seconds)
        self._seconds[channel_id, topic] = (before + seconds) / 2

    def series_length(self, channel_id: int, topic: Topic, most_s: float = SERIES_S) -> int:
        """Returns how many updates are taken together to be sent one after the other. It is as many as
        a series of at most `most_s` seconds has time for: those that are left when it ends were taken in
        vain."""
        seconds = self._seconds.get((channel_id, topic))
        if seconds is None:
            return FIRST_SERIES
        if seconds <= most_s / MOST_IN_SERIES:
            return MOST_IN_SERIES
        return max(1, int(most_s / seconds))


def quantity_urgency(before: int | None, after: int, *, precaution: bool = False) -> Urgency:
    """Returns how urgent an update of a quantity is, from the number that the channel shows and the
    number that it should show. A number that falls only by `precaution`, because the buffer grew,
    goes after numbers that fell because of sales."""
    if precaution and (before is None or after < before):
        return Urgency.ORDER_NEWS
    if after == 0:
        return Urgency.QUANTITY_TO_ZERO
    if before is None or after < before:
        return Urgency.QUANTITY_DOWN
    return Urgency.QUANTITY_UP


def topic_urgency(topic: Topic) -> Urgency:
    """Returns how urgent an update of any other topic is."""
    if topic in ORDER_NEWS:
        return Urgency.ORDER_NEWS
    if topic == Topic.PRICE:
        return Urgency.PRICE
    if topic == Topic.SHOWN:
        return Urgency.QUANTITY_DOWN
    return Urgency.PICTURES if topic == Topic.PICTURES else Urgency.CONTENT


def retry_wait(attempt: int, chance: float, asked_s: float | None = None) -> float:
    """Returns the seconds to wait after the `attempt`-th failure (from 1). The wait doubles each
    time and is jittered by `chance`, a number from 0 to below 1.

    The jitter chooses between half of the doubled wait and the whole of it. A wait that the channel
    asked for is obeyed. Source of the idea: exponential backoff with jitter; `Retry-After` is
    described in RFC 9110, section 10.2.3.
    """
    whole = min(LONGEST_WAIT_S, FIRST_WAIT_S * 2.0 ** min(attempt - 1, 20))
    wait = whole / 2 + whole / 2 * chance
    return max(wait, asked_s + chance * 0.25) if asked_s is not None else wait


@dataclass(frozen=True)
class Breaker:
    """Whether a channel is in trouble: how many calls failed in a row, and how many seconds to wait
    before the next try."""

    failures: int = 0

    @property
    def in_trouble(self) -> bool:
        """Says whether the channel is left alone but for a try now and then."""
        return self.failures >= FAILURES_TO_TROUBLE

    def after(self, *, ok: bool) -> "Breaker":
        """Returns the breaker after one more call; one success resets it."""
        return Breaker(0 if ok else self.failures + 1)

    def probe_wait(self, chance: float) -> float:
        """Returns the seconds until the next try while the channel is in trouble."""
        doubled = FIRST_PROBE_S * 2.0 ** min(self.failures - FAILURES_TO_TROUBLE, 10)
        return min(LONGEST_PROBE_S, doubled) * (0.75 + chance / 4)


@dataclass(frozen=True)
class TokenBucket:
    """A rate limit that we keep ourselves: `level` calls may be made now, and `rate` more each
    second, up to `burst`."""

    rate: float
    burst: int
    level: float
    at: float

    def at_time(self, now: float) -> "TokenBucket":
        """Returns the bucket as it is filled at `now` (seconds)."""
        level = min(float(self.burst), self.level + max(0.0, now - self.at) * self.rate)
        return TokenBucket(self.rate, self.burst, level, now)

    def take(self, now: float) -> tuple["TokenBucket", float]:
        """Takes one call from the bucket; returns the new bucket and the seconds to wait before the
        call (0 when it can be made at once)."""
        bucket = self.at_time(now)
        wait = 0.0 if bucket.level >= 1 else (1 - bucket.level) / bucket.rate
        return TokenBucket(bucket.rate, bucket.burst, bucket.level - 1, now), wait
