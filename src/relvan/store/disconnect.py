"""Queries for disconnecting a channel: what it touches, what the channel must still be told, and the
deletion of its listings, some at a time.
"""

from datetime import datetime

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from relvan.core.channels.connection import ChannelHoldings, Connection
from relvan.core.channels.sending import OPEN_UPDATES, ORDER_NEWS, Topic, UpdateState
from relvan.core.jobs.life import JobVerdict
from relvan.core.orders.facts import Extent
from relvan.store.among import among
from relvan.store.tables import (
    BulkJobRow,
    Channel,
    Drift,
    Finding,
    Listing,
    Order,
    OutboxEntry,
)

# what the channel is told before the connection ends; a price or a quantity is of no use then
LAST_WORDS = (Topic.SHOWN, *ORDER_NEWS)
_OPEN_ORDER = (Order.cancelled_at.is_(None), Order.fact_shipped != Extent.ALL)


def holdings_of_channel(session: Session, channel_id: int) -> ChannelHoldings:
    """Returns what disconnecting a channel touches."""
    live, listings, own = session.execute(
        select(
            func.count().filter(Listing.shown.is_(True)),
            func.count(),
            func.count().filter(Listing.own != {}),
        ).where(Listing.channel_id == channel_id)
    ).one()
    unlinked = session.scalar(
        select(func.count())
        .select_from(Finding)
        .where(Finding.channel_id == channel_id, Finding.listing_id.is_(None))
    )
    orders, cancellable = session.execute(
        select(
            func.count(),
            func.count().filter(
                Order.fact_picked == Extent.NONE, Order.fact_shipped == Extent.NONE
            ),
        ).where(Order.channel_id == channel_id, *_OPEN_ORDER)
    ).one()
    waiting = session.scalar(
        select(func.count())
        .select_from(OutboxEntry)
        .where(OutboxEntry.channel_id == channel_id, OutboxEntry.state.in_(OPEN_UPDATES))
    )
    return ChannelHoldings(live, listings, own, unlinked or 0, orders, cancellable, waiting or 0)


def shown_listing_ids(session: Session, channel_id: int) -> list[int]:
    """Returns the ids of the listings that buyers of a channel can see."""
    statement = select(Listing.id).where(Listing.channel_id == channel_id, Listing.shown.is_(True))
    return list(session.scalars(statement.order_by(Listing.id)))


def open_order_numbers(session: Session, channel_id: int) -> list[str]:
    """Returns the numbers of a channel's orders of which nothing has been picked or sent."""
    statement = select(Order.number).where(
        Order.channel_id == channel_id,
        *_OPEN_ORDER,
        Order.fact_picked == Extent.NONE,
        Order.fact_shipped == Extent.NONE,
    )
    return list(session.scalars(statement.order_by(Order.id)))


def parting_channels(session: Session) -> list[tuple[int, str]]:
    """Returns (id, connection) of the channels that are being disconnected."""
    statement = select(Channel.id, Channel.connection).where(
        Channel.connection.in_([Connection.ENDING, Connection.CLEARING])
    )
    return [(channel_id, said) for channel_id, said in session.execute(statement).all()]


def last_words(session: Session, channel_id: int) -> int:
    """Returns how many updates a channel must still get before its connection ends."""
    statement = (
        select(func.count())
        .select_from(OutboxEntry)
        .where(
            OutboxEntry.channel_id == channel_id,
            OutboxEntry.state.in_(OPEN_UPDATES),
            OutboxEntry.topic.in_(LAST_WORDS),
        )
    )
    return session.scalar(statement) or 0


def drop_open_updates(session: Session, channel_id: int, now: datetime, why: str) -> None:
    """Ends every update of a channel that has no answer yet."""
    session.execute(
        update(OutboxEntry)
        .where(OutboxEntry.channel_id == channel_id, OutboxEntry.state.in_(OPEN_UPDATES))
        .values(state=UpdateState.DROPPED, ended_at=now, answer=why)
    )


def next_listings(session: Session, channel_id: int, most: int) -> list[int]:
    """Returns the ids of some listings of a channel."""
    statement = select(Listing.id).where(Listing.channel_id == channel_id)
    return list(session.scalars(statement.order_by(Listing.id).limit(most)))


def unsettled_rows(session: Session, listing_ids: list[int]) -> list[int]:
    """Returns the rows of bulk jobs that wait for an answer about these listings."""
    statement = select(BulkJobRow.id).where(
        among(BulkJobRow.listing_id, listing_ids), BulkJobRow.verdict == JobVerdict.WAITING
    )
    return list(session.scalars(statement))


def erase_listings(session: Session, listing_ids: list[int]) -> None:
    """Deletes listings with all that belongs to them; bulk jobs keep their rows about them."""
    mine = among(BulkJobRow.listing_id, listing_ids)
    session.execute(update(BulkJobRow).where(mine).values(listing_id=None))
    session.execute(delete(Finding).where(among(Finding.listing_id, listing_ids)))
    session.execute(delete(OutboxEntry).where(among(OutboxEntry.listing_id, listing_ids)))
    session.execute(update(Listing).where(among(Listing.head_id, listing_ids)).values(head_id=None))
    session.execute(delete(Listing).where(among(Listing.id, listing_ids)))


def erase_findings(session: Session, channel_id: int, most: int) -> int:
    """Deletes some of the listings that were found on a channel and belong to no product; returns
    how many they were."""
    some = select(Finding.id).where(Finding.channel_id == channel_id).limit(most)
    ids = list(session.scalars(some))
    session.execute(delete(Finding).where(among(Finding.id, ids)))
    session.execute(delete(Drift).where(Drift.channel_id == channel_id))
    return len(ids)
