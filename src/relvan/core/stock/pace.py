"""How fast a pool of stock sells, with what delay a channel shows it, and what channels whose
orders cannot be read may be selling meanwhile. The buffer by risk is worked out from these. See
docs/rules.md, “What is free”."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from decimal import Decimal

SILENT_AFTER = timedelta(minutes=1)
LONGEST_SILENCE = 24 * 60  # minutes; by then a person has seen it
LAG_TAKEN = 1.0  # minutes, until something was measured


@dataclass(frozen=True)
class Unseen:
    """What a channel that has been silent for some minutes may have sold since its orders were last
    read: units by product."""

    channel_id: int
    name: str
    minutes: int
    units: Mapping[int, float] = field(default_factory=dict)

    @property
    def words(self) -> str:
        """Which channel is silent, and for how long."""
        return f"{self.name}, silent for {self.minutes} min"


@dataclass(frozen=True)
class Selling:
    """What is known of how fast pools sell, by product: units a minute over all channels, units
    that were `oversold` recently, and units that silent channels may have sold `unseen`."""

    sold_a_minute: Mapping[int, float] = field(default_factory=dict)
    oversold: Mapping[int, float] = field(default_factory=dict)
    unseen: Sequence[Unseen] = ()


NOTHING_SELLS = Selling()


@dataclass(frozen=True)
class SellingPace:
    """How fast a pool sells, in units a minute over all channels, and the minutes until a channel
    shows a sale (the 95th percentile; `measured`, or assumed where nothing was measured).
    `oversold` are units that were oversold recently; `unseen` are units that the `silent` channels
    may have sold."""

    sold_a_minute: float
    lag_minutes: float
    measured: bool = True
    oversold: float = 0.0
    unseen: float = 0.0
    silent: str = ""

    @property
    def mean(self) -> float:
        """The units that are expected to be sold before the channel shows it."""
        pace, lag = max(0.0, self.sold_a_minute), max(0.0, self.lag_minutes)
        return pace * lag + max(0.0, self.oversold) + max(0.0, self.unseen)

    def words_of(self, held: int, risk: Decimal) -> str:
        """Says in words how a buffer came about."""
        said = [
            f"{self.sold_a_minute * 1440:.1f} sold a day",
            f"heard of within {self.lag_minutes * 60:.0f} s",
        ]
        if not self.measured:
            said[-1] += " (taken, not measured yet)"
        if self.oversold >= 0.05:
            said.append(f"{self.oversold:.1f} oversold of late")
        if self.unseen > 0:
            said.append(f"{self.unseen:.2g} perhaps sold on {self.silent}")
        return f"{held} kept back: {', '.join(said)}, risk {risk.normalize():f}"


NO_PACE = SellingPace(0.0, 0.0)


def pace_of(
    parts: Mapping[int, int], selling: Selling, lag_minutes: float | None, channel_id: int
) -> SellingPace:
    """Returns the pace of a product that is made of so many units of each part (any other product
    is its own part): that of its fastest part. What the channel itself sells unseen does not count,
    because its own number goes down with it."""

    def most(units_of: Mapping[int, float]) -> float:
        return max((units_of.get(part, 0.0) / units for part, units in parts.items()), default=0.0)

    others = [
        (one.words, most(one.units)) for one in selling.unseen if one.channel_id != channel_id
    ]
    lag = LAG_TAKEN if lag_minutes is None else lag_minutes
    return SellingPace(
        most(selling.sold_a_minute),
        lag,
        measured=lag_minutes is not None,
        oversold=most(selling.oversold),
        unseen=sum(units for _, units in others),
        silent="; ".join(words for words, units in others if units > 0),
    )


def counted_silence(age: timedelta) -> int:
    """Returns the minutes for which a channel counts as silent when its orders were last read so
    long ago. The first minute counts as 0; after that the number grows in steps of a third and is
    never below the true one, so that the buffer is seldom worked out anew.

    >>> [counted_silence(timedelta(minutes=m)) for m in (0, 0.9, 1, 2, 3, 5, 14, 100, 10_000)]
    [0, 0, 2, 3, 4, 6, 15, 115, 1440]
    """
    if age < SILENT_AFTER:
        return 0
    minutes = 2
    while minutes < LONGEST_SILENCE and timedelta(minutes=minutes) <= age:
        minutes += math.ceil(minutes / 3)
    return min(minutes, LONGEST_SILENCE)


def silence_of(age: timedelta | None, *, failing: bool, before: int) -> int:
    """Returns the minutes for which a channel counts as silent. `age` is the time since its orders
    were read, None when they never were; `failing` says that the last call failed or that it is
    paused; `before` is what it counted until now.

    Silence begins only with a failure: when nobody has tried, because no worker was running,
    nothing is known of the channel.
    """
    return counted_silence(age) if age is not None and (failing or before) else 0
