"""How updates reach each channel: the state of its connection, what waits, its delay after sales,
what it refused, and what to do about that."""

from dataclasses import dataclass
from datetime import datetime

from relvan.core.channels.pulse import Beat, percentile, pulse
from relvan.services.workplace import Workplace
from relvan.store.channels import ChannelHealth, channel_health, channels
from relvan.store.session import Session
from relvan.store.tables import Channel
from relvan.store.updates import (
    RefusedRow,
    WaitingRow,
    recent_lags,
    refused_updates,
    waiting_updates,
)

WHAT_TO_DO = {
    "publish": "mend it on the listing, then publish again",
    "content": "mend it on the listing, then send it again",
    "price": "look at the price and the channel's limits; it goes again when the price is another",
    "quantity": "look at the listing; it goes again when the quantity is another",
    "shown": "look at the listing, and put it back by hand",
    "acknowledge": "the channel does not know the order any more; look at it there",
    "tracking": "tell the channel by hand, and look at the order",
}


@dataclass(frozen=True)
class DeliveryTerms:
    """The updates of one channel. `half_s`, `most_s` and `worst_s` are the seconds within which
    half, 95 and 99 percent of the updates after sales were accepted in the last six hours; None
    when there were none."""

    channel: Channel
    health: ChannelHealth
    waiting: tuple[WaitingRow, ...]
    beats: tuple[Beat, ...]
    sales: int
    half_s: float | None
    most_s: float | None
    worst_s: float | None
    refused: tuple[tuple[RefusedRow, str], ...]
    probe_at: datetime | None

    @property
    def count(self) -> int:
        """How many updates have no answer yet."""
        return sum(row.count for row in self.waiting)


def deliveries(session: Session, workplace: Workplace) -> list[DeliveryTerms]:
    """Returns how every channel is doing; a handful of queries serves all of them."""
    now, found = workplace.now(), channels(session)
    health, waiting, lags = (
        channel_health(session, found, now),
        waiting_updates(session),
        recent_lags(session, now),
    )
    return [
        _delivery(
            channel,
            health[channel.id],
            waiting.get(channel.id, []),
            lags.get(channel.id, []),
            refused_updates(session, now, channel_id=channel.id),
            now,
        )
        for channel in found
    ]


def _delivery(
    channel: Channel,
    health: ChannelHealth,
    waiting: list[WaitingRow],
    lags: list[tuple[datetime, float]],
    refused: list[RefusedRow],
    now: datetime,
) -> DeliveryTerms:
    ordered = sorted(seconds for _, seconds in lags)
    half, most, worst = (
        percentile(ordered, share) if ordered else None for share in (0.5, 0.95, 0.99)
    )
    said = tuple((row, _to_do(row)) for row in refused)
    probe = channel.probe_at if channel.probe_at is not None and channel.probe_at > now else None
    return DeliveryTerms(
        channel, health, tuple(waiting), pulse(lags, now), len(lags), half, most, worst, said, probe
    )


def _to_do(row: RefusedRow) -> str:
    if row.state in ("live", "sending"):
        return "nothing any more: the listing is live"
    return WHAT_TO_DO.get(row.topic, "look at it")
