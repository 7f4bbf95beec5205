"""How a day goes beside a usual one, and what each channel has sold lately."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta, tzinfo

DAYS = 28


@dataclass(frozen=True)
class SoldHour:
    """What a channel (None for orders by hand) sold in an hour that begins at a moment: orders, and
    their amount in minor units of a currency.
    """

    channel: int | None
    currency: str
    began: datetime
    orders: int
    amount: int


@dataclass(frozen=True)
class DayHours:
    """Orders by hour of the clock, 24 numbers each: today, and on a usual day."""

    today: tuple[int, ...]
    usual: tuple[float, ...]
    hour: int

    @property
    def so_far(self) -> int:
        """How many orders came today."""
        return sum(self.today)

    @property
    def usual_so_far(self) -> float:
        """How many come on a usual day until the end of this hour."""
        return sum(self.usual[: self.hour + 1])

    @property
    def most(self) -> float:
        """The largest number of an hour, at least 1."""
        return max(1.0, *self.today, *self.usual)


@dataclass(frozen=True)
class ChannelSales:
    """What a channel sold in 28 days: orders, amounts by currency, and the orders of each day."""

    orders: int
    amounts: Mapping[str, int]
    days: tuple[int, ...]

    @property
    def most(self) -> int:
        """The largest number of a day, at least 1."""
        return max(1, *self.days)


def hours_of_day(sold: Iterable[SoldHour], now: datetime, zone: tzinfo) -> DayHours:
    """Returns the orders of today by hour beside the mean of the 28 days before, by the clock of a
    zone.
    """
    here = now.astimezone(zone)
    today, usual = [0] * 24, [0] * 24
    for one in sold:
        began = one.began.astimezone(zone)
        age = (here.date() - began.date()).days
        if age == 0:
            today[began.hour] += one.orders
        elif 0 < age <= DAYS:
            usual[began.hour] += one.orders
    return DayHours(tuple(today), tuple(count / DAYS for count in usual), here.hour)


def sales_by_channel(
    sold: Iterable[SoldHour], now: datetime, zone: tzinfo
) -> dict[int | None, ChannelSales]:
    """Returns what each channel sold in the last 28 days, today among them."""
    last = now.astimezone(zone).date()
    days = [last - timedelta(days=age) for age in range(DAYS - 1, -1, -1)]
    place = {day: at for at, day in enumerate(days)}
    by_channel: dict[int | None, list[SoldHour]] = defaultdict(list)
    for one in sold:
        if one.began.astimezone(zone).date() in place:
            by_channel[one.channel].append(one)
    return {channel: _sales(held, place, zone) for channel, held in by_channel.items()}


def _sales(sold: Sequence[SoldHour], place: Mapping[date, int], zone: tzinfo) -> ChannelSales:
    amounts: dict[str, int] = defaultdict(int)
    days = [0] * DAYS
    for one in sold:
        amounts[one.currency] += one.amount
        days[place[one.began.astimezone(zone).date()]] += one.orders
    return ChannelSales(sum(one.orders for one in sold), dict(amounts), tuple(days))
