"""Queries over updates: which wait for each channel and since when, how late channels hear of
sales, and what they refused.
"""

from collections import defaultdict
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from relvan.core.channels.pulse import BARS, EACH
from relvan.core.channels.sending import OPEN_UPDATES, UpdateState
from relvan.core.channels.subject import UpdateSubject
from relvan.store.rows import rows_as
from relvan.store.tables import LagSample, Listing, OutboxEntry, Product


@dataclass(frozen=True)
class WaitingRow:
    """Unanswered updates of one kind: how many there are, how many are on their way, how many were
    tried before, and since when the oldest waits.
    """

    channel_id: int
    topic: str
    count: int
    under_way: int
    tried: int
    oldest: datetime


def waiting_updates(session: Session) -> dict[int, list[WaitingRow]]:
    """Returns what waits for every channel, by its id and kind; one query."""
    row = OutboxEntry
    statement = (
        select(
            row.channel_id,
            row.topic,
            func.count(),
            func.count().filter(row.state != UpdateState.WAITING),
            func.count().filter((row.state == UpdateState.WAITING) & (row.attempts > 0)),
            func.min(row.created_at),
        )
        .where(row.state.in_(OPEN_UPDATES))
        .group_by(row.channel_id, row.topic)
        .order_by(func.min(row.urgency))
    )
    found: dict[int, list[WaitingRow]] = defaultdict(list)
    for one in rows_as(WaitingRow, session, statement):
        found[one.channel_id].append(one)
    return found


def recent_lags(session: Session, now: datetime) -> dict[int, list[tuple[datetime, float]]]:
    """Returns (when, seconds) of the updates after sales that channels accepted in the hours that
    the health drawing shows.
    """
    row = LagSample
    wanted = (
        select(row.channel_id, row.at, row.seconds)
        .where(row.at > now - BARS * EACH)
        .order_by(row.at)
    )
    found: dict[int, list[tuple[datetime, float]]] = defaultdict(list)
    for channel_id, at, seconds in session.execute(wanted).all():
        found[channel_id].append((at, seconds))
    return found


@dataclass(frozen=True)
class RefusedRow:
    """An update that a channel refused, with the channel's message. The state of its listing tells
    whether this has been mended since.
    """

    id: int
    channel_id: int
    topic: str
    subject: UpdateSubject
    says: str
    at: datetime
    listing_id: int | None
    sku: str | None
    state: str | None


def refused_updates(
    session: Session, now: datetime, *, channel_id: int | None = None, limit: int = 8
) -> list[RefusedRow]:
    """Returns what was refused in the last week, the last first, by one channel or by all."""
    row = OutboxEntry
    statement = (
        select(
            row.id,
            row.channel_id,
            row.topic,
            row.subject,
            row.answer,
            row.ended_at,
            row.listing_id,
            func.coalesce(func.nullif(Listing.alias, ""), Product.sku),
            Listing.state,
        )
        .outerjoin(Listing, Listing.id == row.listing_id)
        .outerjoin(Product, Product.id == Listing.product_id)
        .where(row.state == UpdateState.REFUSED, row.ended_at > now - timedelta(days=7))
        .order_by(row.id.desc())
        .limit(limit)
    )
    if channel_id is not None:
        statement = statement.where(row.channel_id == channel_id)
    return rows_as(RefusedRow, session, statement)
