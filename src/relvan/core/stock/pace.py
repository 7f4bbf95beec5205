"""How fast a pool of stock sells, how late a channel hears of it, and what channels that cannot be read may be selling
meanwhile: what a hold-back by risk is worked out from. See docs/rules.md, “What is free”."""

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
    """What a channel that is silent for some minutes may have sold since its orders were read: units by product."""

    channel_id: int
    name: str
    minutes: int
    units: Mapping[int, float] = field(default_factory=dict)

    @property
    def words(self) -> str:
        """Which channel, and for how long."""
        return f"{self.name}, silent for {self.minutes} min"


@dataclass(frozen=True)
class Selling:
    """What is known of how pools sell, by product: units a minute over all channels; units that were `oversold` of
    late; what silent channels may have sold `unseen`."""

    sold_a_minute: Mapping[int, float] = field(default_factory=dict)
    oversold: Mapping[int, float] = field(default_factory=dict)
    unseen: Sequence[Unseen] = ()


NOTHING_SELLS = Selling()


@dataclass(frozen=True)
class Pace:
    """How fast a pool sells, in units a minute over all channels, and the minutes until a channel has heard of a sale
    (the 95th percentile; `measured`, or taken for want of it); what was `oversold` of it of late and what `silent`
    channels may have sold of it `unseen`, in units."""

    sold_a_minute: float
    lag_minutes: float
    measured: bool = True
    oversold: float = 0.0
    unseen: float = 0.0
    silent: str = ""

    @property
    def mean(self) -> float:
        """The units that are expected to be sold before the channel hears of it."""
        pace, lag = max(0.0, self.sold_a_minute), max(0.0, self.lag_minutes)
        return pace * lag + max(0.0, self.oversold) + max(0.0, self.unseen)

    def words_of(self, held: int, risk: Decimal) -> str:
        """How a hold-back came about."""
        said = [f"{self.sold_a_minute * 1440:.1f} sold a day", f"heard of within {self.lag_minutes * 60:.0f} s"]
        if not self.measured:
            said[-1] += " (taken, not measured yet)"
        if self.oversold >= 0.05:
            said.append(f"{self.oversold:.1f} oversold of late")
        if self.unseen > 0:
            said.append(f"{self.unseen:.2g} perhaps sold on {self.silent}")
        return f"{held} kept back: {', '.join(said)}, risk {risk.normalize():f}"


NO_PACE = Pace(0.0, 0.0)


def pace_of(parts: Mapping[int, int], selling: Selling, lag_minutes: float | None, channel_id: int) -> Pace:
    """The pace, as a channel hears of it, of what is made of so many units of each part (a product is one of itself):
    that of its fastest part. What the channel itself sells unseen takes nothing from what others left to it."""

    def most(units_of: Mapping[int, float]) -> float:
        return max((units_of.get(part, 0.0) / units for part, units in parts.items()), default=0.0)

    others = [(one.words, most(one.units)) for one in selling.unseen if one.channel_id != channel_id]
    lag = LAG_TAKEN if lag_minutes is None else lag_minutes
    return Pace(
        most(selling.sold_a_minute),
        lag,
        measured=lag_minutes is not None,
        oversold=most(selling.oversold),
        unseen=sum(units for _, units in others),
        silent="; ".join(words for words, units in others if units > 0),
    )


def counted_silence(age: timedelta) -> int:
    """The minutes for which a channel counts as silent whose orders were last read so long ago: 0 for the first one;
    then rungs a third apart, never fewer than it has been, so that what is held back for it is seldom worked out anew.

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
    """The minutes for which a channel counts as silent. `age`: since its orders were read, none when they never were;
    `failing`: the last call failed, or it is paused; `before`: what it counted until now. Silence begins only with a
    failure: that nobody has tried, since no worker ran, says nothing of the channel."""
    return counted_silence(age) if age is not None and (failing or before) else 0
