"""Queries over drift: what is open for some listings, and a page of it for the screen."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from relvan.store.among import among
from relvan.store.rows import rows_as
from relvan.store.tables import Channel, Drift, Listing, Product

WAITS = Drift.ended_at.is_(None) & (Drift.how == "")  # for a person


def open_drifts(session: Session, listing_ids: Collection[int]) -> dict[tuple[int, str], Drift]:
    """Returns the drift of listings that is still open, by (listing, topic)."""
    rows = session.scalars(
        select(Drift).where(among(Drift.listing_id, listing_ids), Drift.ended_at.is_(None))
    )
    return {(row.listing_id, row.topic): row for row in rows}


@dataclass(frozen=True)
class DriftRow:
    """One difference in a list. Prices are minor units of the channel's currency, as text."""

    id: int
    listing_id: int
    sku: str
    title: str
    channel: str
    channel_key: str
    currency: str
    topic: str
    ours: str
    theirs: str
    seen_at: datetime
    ended_at: datetime | None
    how: str


def drift_rows(
    session: Session,
    *,
    channel: str = "",
    ended: bool = False,
    before: int | None = None,
    limit: int = 50,
) -> list[DriftRow]:
    """Returns confirmed differences that wait for a person, or those that are closed, the last seen
    first.
    """
    row = Drift
    statement = (
        select(
            row.id,
            row.listing_id,
            func.coalesce(func.nullif(Listing.alias, ""), Product.sku),
            Product.title,
            Channel.name,
            Channel.key,
            Channel.currency,
            row.topic,
            row.ours,
            row.theirs,
            row.seen_at,
            row.ended_at,
            row.how,
        )
        .join(Listing, Listing.id == row.listing_id)
        .join(Product, Product.id == Listing.product_id)
        .join(Channel, Channel.id == row.channel_id)
        .where(row.confirmed_at.is_not(None), row.ended_at.is_not(None) if ended else WAITS)
        .order_by(row.id.desc())
        .limit(limit)
    )
    if channel:
        statement = statement.where(Channel.key == channel)
    if before is not None:
        statement = statement.where(row.id < before)
    return rows_as(DriftRow, session, statement)


def open_drifts_by_id(session: Session, drift_ids: Collection[int]) -> list[Drift]:
    """Returns those of some differences that are still open."""
    return list(
        session.scalars(select(Drift).where(among(Drift.id, drift_ids), Drift.ended_at.is_(None)))
    )
