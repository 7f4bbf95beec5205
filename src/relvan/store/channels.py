"""Queries over channels: their settings as core values, their health, what waits for them."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from relvan.core.channels.sending import OPEN_UPDATES, Breaker
from relvan.core.prices.steps import ConvertStep, PriceStep, steps_from
from relvan.core.refusal import not_found
from relvan.core.stock.availability import StockPolicy, policy_from
from relvan.store.rows import rows_as
from relvan.store.tables import (
    Carrier,
    Channel,
    LagSample,
    Listing,
    OutboxEntry,
    PriceList,
    SupplyWarehouse,
    Warehouse,
)

SUPPLY = select(SupplyWarehouse.channel_id, SupplyWarehouse.warehouse_id).order_by(
    SupplyWarehouse.position
)
SETTINGS = select(Channel, PriceList).join(PriceList, PriceList.id == Channel.price_list_id)


@dataclass(frozen=True)
class ChannelSettings:
    """What decides prices and quantities on a channel."""

    channel: Channel
    price_list: PriceList
    steps: tuple[PriceStep, ...]
    policy: StockPolicy
    supply_list: tuple[int, ...]
    least_margin: Decimal | None = None
    delivery_cost: int = 0

    @property
    def converts(self) -> bool:
        """Whether its price steps lead into another currency."""
        return any(isinstance(step, ConvertStep) for step in self.steps)

    def looks_at_rates(self, own: str) -> bool:
        """Whether its prices may follow conversion rates: they are converted, or are in another
        currency than the seller's `own`, in which floors and costs are told."""
        return self.converts or self.price_list.currency != own


def channel_by_id(session: Session, channel_id: int) -> Channel:
    """A channel that is known to be there."""
    return session.get_one(Channel, channel_id)


def channel_by_key(session: Session, key: str) -> Channel:
    """A channel by its key."""
    channel = find_channel(session, key)
    if channel is None:
        raise not_found("channel", key)
    return channel


def channels(session: Session) -> list[Channel]:
    """All channels."""
    return list(session.scalars(select(Channel).order_by(Channel.id)))


def channel_names(session: Session) -> list[tuple[str, str]]:
    """(key, name) of all channels."""
    rows = (
        session.connection().execute(select(Channel.key, Channel.name).order_by(Channel.id)).all()
    )
    return [(key, name) for key, name in rows]


def carriers(session: Session) -> list[Carrier]:
    """All carrier accounts."""
    return list(session.scalars(select(Carrier).order_by(Carrier.id)))


def channel_settings(session: Session) -> dict[int, ChannelSettings]:
    """The settings of every channel by its id, in two queries."""
    supply: dict[int, list[int]] = {}
    for channel_id, warehouse_id in session.execute(SUPPLY):
        supply.setdefault(channel_id, []).append(warehouse_id)
    rows = session.execute(SETTINGS)
    return {
        channel.id: ChannelSettings(
            channel,
            price_list,
            steps_from(channel.price_steps),
            policy_from(channel.stock_policy),
            tuple(supply.get(channel.id, ())),
            None if channel.least_margin is None else Decimal(channel.least_margin),
            channel.delivery_cost,
        )
        for channel, price_list in rows
    }


@dataclass(frozen=True)
class ChannelHealth:
    """How a channel does: calm, in trouble or paused; lag in seconds; updates that wait."""

    state: str
    lag_p95_s: float | None
    waiting: int
    oldest_waiting: datetime | None
    last_ok_at: datetime | None
    last_error: str


def channel_health(
    session: Session, found: Sequence[Channel], now: datetime
) -> dict[int, ChannelHealth]:
    """The health of channels by their ids; lag over the last day."""
    waiting = {
        row[0]: (row[1], row[2])
        for row in session.execute(
            select(OutboxEntry.channel_id, func.count(), func.min(OutboxEntry.created_at))
            .where(OutboxEntry.state.in_(OPEN_UPDATES))
            .group_by(OutboxEntry.channel_id)
        )
    }
    health = {}
    for channel in found:
        samples = session.scalars(
            select(LagSample.seconds)
            .where(LagSample.channel_id == channel.id, LagSample.at > now - timedelta(days=1))
            .order_by(LagSample.seconds)
        ).all()
        lag = samples[min(len(samples) - 1, int(len(samples) * 0.95))] if samples else None
        count, oldest = waiting.get(channel.id, (0, None))
        state = (
            "paused"
            if channel.paused
            else "in trouble"
            if Breaker(channel.failures).in_trouble
            else "calm"
        )
        health[channel.id] = ChannelHealth(
            state,
            lag,
            count,
            oldest,
            channel.last_ok_at,
            channel.last_error if channel.failures else "",
        )
    return health


@dataclass(frozen=True)
class ListingTally:
    """The listings of a channel that have a place there: followed or only read in, behind with what
    is said, paused."""

    followed: int
    unfollowed: int
    behind: int
    paused: int


def listing_tally(session: Session, channel_id: int) -> ListingTally:
    """How many listings of a channel are in step and how many are not."""
    said = Listing.behind.like("%content%") | Listing.behind.like("%pictures%")
    row = session.execute(
        select(
            func.count().filter(Listing.followed.is_(True)),
            func.count().filter(Listing.followed.is_(False)),
            func.count().filter(said),
            func.count().filter(Listing.paused.is_(True)),
        ).where(Listing.channel_id == channel_id, Listing.placed.is_(True))
    ).one()
    return ListingTally(*row)


def find_channel(session: Session, key: str) -> Channel | None:
    """A channel by its key, or none."""
    return session.scalar(select(Channel).where(Channel.key == key))


def find_carrier(session: Session, key: str) -> Carrier | None:
    """A carrier account by its key, or none."""
    return session.scalar(select(Carrier).where(Carrier.key == key))


@dataclass(frozen=True)
class ChannelEdition:
    """Which edition of its rulebook a channel was worked out by; the edition is the book itself, as
    data."""

    id: int
    name: str
    rulebook: str
    edition: str


def channel_editions(session: Session) -> list[ChannelEdition]:
    """Every channel with the edition that it was worked out by."""
    return rows_as(
        ChannelEdition, session, select(Channel.id, Channel.name, Channel.rulebook, Channel.book)
    )


def supply_keys(session: Session, channel_id: int) -> list[str]:
    """The keys of the warehouses that feed a channel, in their order."""
    statement = select(Warehouse.key).join(
        SupplyWarehouse, SupplyWarehouse.warehouse_id == Warehouse.id
    )
    return list(
        session.scalars(
            statement.where(SupplyWarehouse.channel_id == channel_id).order_by(
                SupplyWarehouse.position
            )
        )
    )


def replace_supply(session: Session, channel_id: int, warehouse_ids: Sequence[int]) -> None:
    """Let these warehouses feed a channel, in this order, instead of those that do."""
    session.execute(delete(SupplyWarehouse).where(SupplyWarehouse.channel_id == channel_id))
    for position, warehouse_id in enumerate(warehouse_ids):
        session.add(
            SupplyWarehouse(channel_id=channel_id, warehouse_id=warehouse_id, position=position)
        )


def supply_lists_of(
    session: Session, channel_ids: Collection[int | None], *, anywhere: bool = False
) -> dict[int | None, list[int]]:
    """The ids of the warehouses that serve orders, by channel: the channel's in their order, and
    with `anywhere` all others after them; all warehouses for orders without a channel."""
    found: dict[int | None, list[int]] = {channel_id: [] for channel_id in channel_ids}
    row = SupplyWarehouse
    fed = select(row.channel_id, row.warehouse_id).where(
        row.channel_id.in_([one for one in channel_ids if one])
    )
    for channel_id, warehouse_id in session.execute(fed.order_by(row.position)).all():
        found[channel_id].append(warehouse_id)
    if None in found or anywhere:
        every = list(session.scalars(select(Warehouse.id).order_by(Warehouse.id)))
        for key, own in found.items():
            if key is None or anywhere:
                own += [warehouse_id for warehouse_id in every if warehouse_id not in own]
    return found
