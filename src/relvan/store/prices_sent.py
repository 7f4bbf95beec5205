"""Queries over the history of prices that channels have accepted."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from relvan.store.rows import rows_as
from relvan.store.tables import Channel, Listing, PriceSent, Product


@dataclass(frozen=True)
class SentFilter:
    """Says which prices a page shows: of a product, of a listing, on a channel (key), since a time."""

    product_id: int | None = None
    listing_id: int | None = None
    channel: str = ""
    since: datetime | None = None


@dataclass(frozen=True)
class SentRow:
    """One price that a channel has accepted, in minor units of its currency, and what it was worked
    out from.
    """

    id: int
    at: datetime
    listing_id: int
    sku: str
    title: str
    channel: str
    channel_key: str
    currency: str
    amount: int
    regular: int | None
    cause: str


def prices_sent(
    session: Session, wanted: SentFilter, *, before: int | None = None, limit: int = 50
) -> list[SentRow]:
    """Returns the prices that channels accepted, the last first; one query."""
    row = PriceSent
    statement = (
        select(
            row.id,
            row.at,
            row.listing_id,
            func.coalesce(func.nullif(Listing.alias, ""), Product.sku),
            Product.title,
            Channel.name,
            Channel.key,
            Channel.currency,
            row.amount,
            row.regular,
            row.cause,
        )
        .join(Listing, Listing.id == row.listing_id)
        .join(Product, Product.id == Listing.product_id)
        .join(Channel, Channel.id == row.channel_id)
        .order_by(row.id.desc())
        .limit(limit)
    )
    if before is not None:
        statement = statement.where(row.id < before)
    if wanted.product_id is not None:
        mine = select(Listing.id).where(Listing.product_id == wanted.product_id)
        statement = statement.where(row.listing_id.in_(mine))
    if wanted.listing_id is not None:
        statement = statement.where(row.listing_id == wanted.listing_id)
    if wanted.channel:
        key = select(Channel.id).where(Channel.key == wanted.channel).scalar_subquery()
        statement = statement.where(row.channel_id == key)
    if wanted.since is not None:
        statement = statement.where(row.at >= wanted.since)
    return rows_as(SentRow, session, statement)
