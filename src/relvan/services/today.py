"""What the first page of the day shows: what waits for a person, in the order in which it costs money
to wait, and how things are.
"""

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from weakref import WeakKeyDictionary
from zoneinfo import ZoneInfo

from relvan.core.channels.pulse import Beat, pulse
from relvan.core.money import Money
from relvan.core.people.roles import Role
from relvan.core.setup.warehouses import PickUp
from relvan.core.today.agenda import Task, TaskKind, in_order
from relvan.core.today.figures import (
    DAYS,
    ChannelSales,
    DayHours,
    SoldHour,
    hours_of_day,
    sales_by_channel,
)
from relvan.services.workplace import Workplace
from relvan.store.channels import ChannelHealth, channel_health, channels
from relvan.store.counting import Count
from relvan.store.line import today_counts
from relvan.store.order_list import Stuck, stuck_in_trays
from relvan.store.prices import rates_on
from relvan.store.session import Session
from relvan.store.tables import Channel
from relvan.store.today import pick_ups_needed, sold_by_hour
from relvan.store.updates import recent_lags

KEPT_S = 300.0  # so long are the figures of the days before today kept
KEPT_TODAY_S, MANY = 10.0, 20_000  # and those of today, where there are so many orders
TRAYS = {TaskKind.SHORT: "short", TaskKind.INBOX: "inbox"}
STATES = {
    TaskKind.TO_PICK: "to pick",
    TaskKind.PICKING: "picking",
    TaskKind.TO_PACK: "to pack",
    TaskKind.TO_SHIP: "to ship",
    TaskKind.TO_HAND_OVER: "to hand over",
}


@dataclass(frozen=True)
class KeptSales:
    """What was sold, as it was read at a time of the machine's clock on a day."""

    read_at: float
    day: date
    sold: list[SoldHour]

    @property
    def orders(self) -> int:
        """How many orders that were."""
        return sum(one.orders for one in self.sold)

    def is_old(self, seconds: float, here: datetime) -> bool:
        """Says whether it was read longer ago, or on another day."""
        return self.day != here.date() or time.monotonic() - self.read_at > seconds


_kept: WeakKeyDictionary[Workplace, dict[str, KeptSales]] = WeakKeyDictionary()


@dataclass(frozen=True)
class ShownTask:
    """One line of what to do, with how many there are and what they hold up."""

    task: Task
    count: Count
    held: Stuck | None = None


@dataclass(frozen=True)
class ChannelToday:
    """How one channel is: its health, what it sold in 28 days, and its pulse."""

    channel: Channel
    health: ChannelHealth
    sales: ChannelSales | None
    beats: Sequence[Beat]


@dataclass(frozen=True)
class Today:
    """All that the page shows."""

    tasks: Sequence[ShownTask]
    hours: DayHours
    channels: Sequence[ChannelToday]
    by_hand: ChannelSales | None
    held: Mapping[str, Stuck]
    now: datetime


def look_at_today(session: Session, workplace: Workplace, role: Role) -> Today:
    """Returns what waits for somebody of a role, and how things are."""
    now, here = workplace.now(), workplace.local_now()
    zone = ZoneInfo(workplace.firm.time_zone)
    found = channels(session)
    health = channel_health(session, found, now)
    lags = recent_lags(session, now)
    sold = _sold(session, workplace, here)
    sales = sales_by_channel(sold, now, zone)
    held = stuck_in_trays(session)
    return Today(
        _tasks(session, workplace, role, held, here),
        hours_of_day(sold, now, zone),
        [
            ChannelToday(
                channel,
                health[channel.id],
                sales.get(channel.id),
                pulse(lags.get(channel.id, ()), now),
            )
            for channel in found
        ],
        sales.get(None),
        held,
        here,
    )


def _sold(session: Session, workplace: Workplace, here: datetime) -> list[SoldHour]:
    """Returns what was sold today, and in the 28 days before. The latter may be some minutes old, and
    on a day with very many orders what was sold today some seconds (docs/decisions/025)."""
    midnight = here.replace(hour=0, minute=0, second=0, microsecond=0)
    kept = _kept.setdefault(workplace, {})
    before = kept.get("before")
    if before is None or before.is_old(KEPT_S, here):
        sold = sold_by_hour(session, midnight - timedelta(days=DAYS), midnight)
        before = kept["before"] = KeptSales(time.monotonic(), here.date(), sold)
    today = kept.get("today")
    if today is None or today.orders < MANY or today.is_old(KEPT_TODAY_S, here):
        sold = sold_by_hour(session, midnight)
        today = kept["today"] = KeptSales(time.monotonic(), here.date(), sold)
    return [*before.sold, *today.sold]


def _tasks(
    session: Session, workplace: Workplace, role: Role, held: Mapping[str, Stuck], here: datetime
) -> list[ShownTask]:
    counts = today_counts(session)
    waits = {kind: counts[kind] for kind in TaskKind if counts[kind]}
    pick_ups = pick_ups_needed(session) if waits.keys() & STATES.keys() else {}
    tasks = []
    for kind in waits:
        in_tray = held.get(TRAYS.get(kind, ""))
        money = _in_own(session, workplace, in_tray) if in_tray else 0
        until = _first_cut_off(pick_ups.get(STATES.get(kind, ""), ()), here)
        tasks.append(Task(kind, money, in_tray.since if in_tray else None, until))
    return [
        ShownTask(task, waits[task.kind], held.get(TRAYS.get(task.kind, "")))
        for task in in_order(tasks, role, here)
    ]


def _first_cut_off(pick_ups: Sequence[PickUp], here: datetime) -> datetime | None:
    moments = [end for one in pick_ups if (end := one.next_cut_off(here)) is not None]
    return min(moments, default=None)


def _in_own(session: Session, workplace: Workplace, held: Stuck) -> int:
    """Returns about how much is held up in the seller's currency; what has no rate counts as it is."""
    own = workplace.firm.currency
    if all(currency == own for currency, _ in held.amounts):
        return sum(amount for _, amount in held.amounts)
    rates = rates_on(session, workplace.now().date())
    found = [
        (rates.convert(Money(amount, currency), own), amount) for currency, amount in held.amounts
    ]
    return sum(money.amount if money else amount for money, amount in found)
