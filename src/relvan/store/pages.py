"""Queries over listings that need a page of a channel's catalogue, and the pages that were found
for them.
"""

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session, aliased

from relvan.store.among import among
from relvan.store.lacks import has_gap
from relvan.store.rows import rows_as
from relvan.store.tables import Channel, Listing, PageSearch, Product, ProductPicture

_family = aliased(Product)
NO_PAGE = "no page"  # the kind of gap that such a listing has


@dataclass(frozen=True)
class Seeker:
    """A listing for which a catalogue page is looked for, with the details of its product."""

    listing_id: int
    channel_id: int
    sku: str
    title: str
    brand: str
    gtin: str


def seekers(
    session: Session,
    channel_id: int | None,
    *,
    listing_ids: Collection[int] | None = None,
    limit: int = 1_000,
) -> list[Seeker]:
    """Returns the listings of a channel that need a page and have not been looked for; or some
    listings, whether looked for or not.
    """
    statement = (
        select(
            Listing.id,
            Listing.channel_id,
            func.coalesce(func.nullif(Listing.alias, ""), Product.sku),
            Product.title,
            func.coalesce(func.nullif(Product.brand, ""), _family.brand, ""),
            func.coalesce(Product.gtin, ""),
        )
        .join(Product, Product.id == Listing.product_id)
        .outerjoin(_family, _family.id == Product.family_id)
        .order_by(Listing.id)
        .limit(limit)
    )
    if listing_ids is not None:
        statement = statement.where(among(Listing.id, listing_ids))
    else:
        looked = select(PageSearch.listing_id)
        statement = statement.where(
            Listing.channel_id == channel_id,
            has_gap(session, kind=NO_PAGE),
            Listing.id.not_in(looked),
        )
    return [Seeker(*row) for row in session.execute(statement).all()]


@dataclass(frozen=True)
class PageRow:
    """A listing that needs a page: our side of it, and the candidates once it has been looked for."""

    listing_id: int
    channel: str
    channel_key: str
    sku: str
    title: str
    brand: str
    gtin: str
    picture: str | None
    length_mm: int | None
    width_mm: int | None
    height_mm: int | None
    words: str
    candidates: list[dict[str, Any]] | None


def page_rows(
    session: Session,
    *,
    channel: str = "",
    after: int = 0,
    limit: int = 25,
    listing_id: int | None = None,
) -> list[PageRow]:
    """Returns listings that need a page, in the order in which they were drafted."""
    picture = (
        select(ProductPicture.sha)
        .where(
            ProductPicture.product_id == func.coalesce(Product.id, 0),
            ProductPicture.role == "shown",
        )
        .order_by(ProductPicture.position)
        .limit(1)
        .correlate(Product)
        .scalar_subquery()
    )
    lent = (
        select(ProductPicture.sha)
        .where(ProductPicture.product_id == Product.family_id, ProductPicture.role == "shown")
        .order_by(ProductPicture.position)
        .limit(1)
        .correlate(Product)
        .scalar_subquery()
    )
    if listing_id is not None:
        ids = [listing_id]
    else:
        # as sums, so that SQLite looks for what lacks a page instead of reading all in order
        lacking = select(Listing.id).where(has_gap(session, channel, kind=NO_PAGE))
        in_order = lacking.where(Listing.id + 0 > after).order_by(Listing.id + 0).limit(limit)
        ids = list(session.scalars(in_order))
    statement = (
        select(
            Listing.id,
            Channel.name,
            Channel.key,
            func.coalesce(func.nullif(Listing.alias, ""), Product.sku),
            Product.title,
            func.coalesce(func.nullif(Product.brand, ""), _family.brand, ""),
            func.coalesce(Product.gtin, ""),
            func.coalesce(picture, lent),
            Product.length_mm,
            Product.width_mm,
            Product.height_mm,
            func.coalesce(PageSearch.words, ""),
            PageSearch.candidates,
        )
        .join(Product, Product.id == Listing.product_id)
        .join(Channel, Channel.id == Listing.channel_id)
        .outerjoin(_family, _family.id == Product.family_id)
        .outerjoin(PageSearch, PageSearch.listing_id == Listing.id)
        .where(among(Listing.id, ids))
        .order_by(Listing.id)
    )
    return rows_as(PageRow, session, statement)


def count_without_page(session: Session, channel: str = "") -> int:
    """Returns how many listings need a page."""
    lacking = has_gap(session, channel, kind=NO_PAGE)
    return session.scalar(select(func.count()).select_from(Listing).where(lacking)) or 0


def forget_page_searches(session: Session, listing_ids: Collection[int]) -> None:
    """Deletes which pages were found for listings."""
    session.execute(delete(PageSearch).where(among(PageSearch.listing_id, listing_ids)))
