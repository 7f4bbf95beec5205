"""Queries over channels: their settings as core values, their health, and what waits for them."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Any, NamedTuple

from sqlalchemy import Select, delete, func, select
from sqlalchemy.orm import Session

from relvan.core.channels.connection import IN_USE
from relvan.core.channels.sending import OPEN_UPDATES, Breaker
from relvan.core.orders.policy import USUAL, OrderPolicy, read_order_policy
from relvan.core.prices.steps import ConvertStep, PriceStep, steps_from
from relvan.core.refusal import not_found
from relvan.core.stock.availability import StockPolicy, policy_from
from relvan.store.built import bare_rows, built_once
from relvan.store.kept import kept
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
TAKING = select(Channel.id, Channel.name, Channel.start_tray, Channel.order_policy)
STOCK_SETTINGS = select(Channel.id, Channel.rulebook, Channel.stock_policy)
EVERY_WAREHOUSE = select(Warehouse.id).order_by(Warehouse.id)
CONNECTED = Channel.connection.in_(IN_USE)
SETTINGS = select(Channel, PriceList).join(PriceList, PriceList.id == Channel.price_list_id)


@dataclass(frozen=True)
class ChannelSettings:
    """The settings of a channel that decide its prices and quantities."""

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
        """Whether its prices depend on conversion rates: its steps convert, or it sells in another
        currency than the seller's `own`, in which floors and costs are entered.
        """
        return self.converts or self.price_list.currency != own


def channel_by_id(session: Session, channel_id: int) -> Channel:
    """Returns the channel with an id. The channel must exist."""
    return session.get_one(Channel, channel_id)


class PolledChannel(NamedTuple):
    """What is needed of a channel to ask it for its orders, which is done several times a second."""

    id: int
    rulebook: str
    address: str
    token: str
    paused: bool
    failures: int
    probe_at: datetime | None
    order_mark: int
    orders_read_at: datetime | None


def polled_channel(session: Session, channel_id: int) -> PolledChannel:
    """Returns what is needed of a channel to ask it for its orders. The channel must exist."""
    statement, values = _polled_channel(channel_id)
    return PolledChannel._make(session.connection().execute(statement, values).one())


@built_once
def _polled_channel(channel_id: int) -> Select[*tuple[Any, ...]]:
    columns = Channel.__table__.c
    return select(*(columns[name] for name in PolledChannel._fields)).where(
        columns.id == channel_id
    )


class TakingChannel(NamedTuple):
    """What is needed of a channel to take its orders in; `policy` is how they are taken in and routed."""

    id: int
    name: str
    start_tray: str
    policy: OrderPolicy


@kept
def taking_channels(session: Session) -> Mapping[int, TakingChannel]:
    """Returns what is needed of each channel to take its orders in, by its id."""
    return {
        channel_id: TakingChannel(
            channel_id, name, tray, read_order_policy({**policy, "tray": tray})
        )
        for channel_id, name, tray, policy in bare_rows(session, TAKING)
    }


def channel_by_key(session: Session, key: str) -> Channel:
    """Returns the channel with a key."""
    channel = find_channel(session, key)
    if channel is None or channel.connection not in IN_USE:
        raise not_found("channel", key)
    return channel


def channels(session: Session) -> list[Channel]:
    """Returns all channels that are connected."""
    return list(session.scalars(*_all_channels()))


@built_once
def _all_channels() -> Select[Channel]:
    return select(Channel).where(CONNECTED).order_by(Channel.id)


def channel_names(session: Session, *, ended: bool = False) -> list[tuple[str, str]]:
    """Returns (key, name) of all channels that are connected, and with `ended` of those too that
    were once: their orders stay."""
    statement = select(Channel.key, Channel.name).order_by(Channel.id)
    if not ended:
        statement = statement.where(CONNECTED)
    rows = session.connection().execute(statement).all()
    return [(key, name) for key, name in rows]


def carriers(session: Session) -> list[Carrier]:
    """Returns all carrier accounts."""
    return list(session.scalars(select(Carrier).order_by(Carrier.id)))


def service_names(session: Session) -> dict[str, str]:
    """Returns the names of the services of all accounts, with the names of the accounts, by the keys under
    which rules name them: `carrier:service`."""
    return {
        f"{carrier.key}:{key}": f"{carrier.name}: {name}"
        for carrier in carriers(session)
        for key, name in carrier.services.items()
    }


@kept
def _supply_lists(session: Session) -> Mapping[int, Sequence[int]]:
    """Returns the warehouses that feed each channel, in the order of its supply list."""
    found: dict[int, list[int]] = {}
    for channel_id, warehouse_id in bare_rows(session, SUPPLY):
        found.setdefault(channel_id, []).append(warehouse_id)
    return found


@dataclass(frozen=True)
class StockSettings:
    """The settings of a channel that decide its quantities."""

    rulebook: str
    policy: StockPolicy
    supply_list: tuple[int, ...]


@kept
def stock_settings(session: Session) -> Mapping[int, StockSettings]:
    """Returns what decides the quantities of every channel by its id."""
    supply = _supply_lists(session)
    return {
        channel_id: StockSettings(rulebook, policy_from(policy), tuple(supply.get(channel_id, ())))
        for channel_id, rulebook, policy in bare_rows(session, STOCK_SETTINGS)
    }


def channel_settings(session: Session) -> dict[int, ChannelSettings]:
    """Returns the settings of every channel by its id; two queries."""
    supply = _supply_lists(session)
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
    """How a channel's connection is: healthy, in trouble or paused; its delay in seconds; and how
    many updates wait.
    """

    state: str
    lag_p95_s: float | None
    waiting: int
    oldest_waiting: datetime | None
    last_ok_at: datetime | None
    last_error: str


def channel_health(
    session: Session, found: Sequence[Channel], now: datetime
) -> dict[int, ChannelHealth]:
    """Returns the health of channels by their ids. The delay is that of the last day."""
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
            else "healthy"
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
    """The listings that are on a channel: how many are followed, only read in, outdated (with what
    differs), and paused.
    """

    followed: int
    unfollowed: int
    outdated: int
    paused: int


def listing_tally(session: Session, channel_id: int) -> ListingTally:
    """Returns how many listings of a channel are in step and how many are not."""
    said = Listing.outdated.like("%content%") | Listing.outdated.like("%pictures%")
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
    """Returns a channel by its key, or None; also one that has been disconnected."""
    return session.scalar(select(Channel).where(Channel.key == key))


def find_carrier(session: Session, key: str) -> Carrier | None:
    """Returns a carrier account by its key, or None."""
    return session.scalar(select(Carrier).where(Carrier.key == key))


@dataclass(frozen=True)
class ChannelEdition:
    """The edition of the rulebook by which a channel's listings were last worked out, as data."""

    id: int
    name: str
    rulebook: str
    edition: str


def channel_editions(session: Session) -> list[ChannelEdition]:
    """Returns every channel with the edition of its rulebook by which it was last worked out."""
    return rows_as(
        ChannelEdition, session, select(Channel.id, Channel.name, Channel.rulebook, Channel.book)
    )


def supply_keys(session: Session, channel_id: int) -> list[str]:
    """Returns the keys of the warehouses that feed a channel, in the order of its supply list."""
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
    """Replaces the supply list of a channel by these warehouses, in this order."""
    session.execute(delete(SupplyWarehouse).where(SupplyWarehouse.channel_id == channel_id))
    for position, warehouse_id in enumerate(warehouse_ids):
        session.add(
            SupplyWarehouse(channel_id=channel_id, warehouse_id=warehouse_id, position=position)
        )


def order_policy_of(channel: Channel) -> OrderPolicy:
    """Returns how the orders of a channel are taken in and routed."""
    return read_order_policy({**channel.order_policy, "tray": channel.start_tray})


def channel_is_connected(session: Session, channel_id: int) -> bool:
    """Says whether a channel can be told something."""
    return channel_by_id(session, channel_id).connection in IN_USE


def channel_names_by_id(session: Session) -> dict[int, str]:
    """Returns the names of all channels, ended ones included, by id."""
    return dict(session.execute(select(Channel.id, Channel.name)).all())


def channel_keys(session: Session) -> dict[int, str]:
    """Returns the keys of all channels, ended ones included, by id."""
    return dict(session.execute(select(Channel.id, Channel.key)).all())


def order_policies(
    session: Session, channel_ids: Collection[int | None]
) -> dict[int | None, OrderPolicy]:
    """Returns the order policies of channels by their ids; orders without a channel are as usual."""
    known = taking_channels(session)
    return {one: known[one].policy if one else USUAL for one in channel_ids}


@kept
def _every_warehouse(session: Session) -> Sequence[int]:
    return list(bare_rows(session, EVERY_WAREHOUSE).scalars())


def supply_lists_of(
    session: Session, channel_ids: Collection[int | None], *, anywhere: bool = False
) -> dict[int | None, list[int]]:
    """Returns the ids of the warehouses that serve orders, by channel: those of its supply list in
    order and, with `anywhere`, all others after them. Orders without a channel may be served from
    every warehouse.
    """
    supply = _supply_lists(session)
    found: dict[int | None, list[int]] = {
        channel_id: list(supply.get(channel_id or 0, ())) for channel_id in channel_ids
    }
    if None in found or anywhere:
        every = _every_warehouse(session)
        for key, own in found.items():
            if key is None or anywhere:
                own += [warehouse_id for warehouse_id in every if warehouse_id not in own]
    return found
