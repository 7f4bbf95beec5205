"""Reads pages of listings for the screen: which ones a filter finds, and the flat rows of a list."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Select, func, join, literal, select
from sqlalchemy.orm import Session, aliased

from relvan.store import search
from relvan.store.among import among, among_found
from relvan.store.counting import Count, count_up_to
from relvan.store.lacks import has_gap
from relvan.store.rows import rows_as
from relvan.store.sorting import Sorting, sort_page
from relvan.store.tables import (
    BulkJobRow,
    Channel,
    Listing,
    ListingLayer,
    Product,
)

_product = aliased(Product)


@dataclass(frozen=True)
class ListingFilter:
    """Says which listings a page shows. `gap` is the field that lacks something; `gap_kind`,
    `gap_mend` and `ours` say more of the same gap (see `core/listings/gaps.py`); `drafts_of` is the
    bulk job that drafted the listings.
    """

    words: str = ""
    channel: str = ""
    state: str = ""
    gap: str = ""
    lapsing_before: datetime | None = None
    layer: int | None = None
    family: int | None = None
    gap_kind: str = ""
    gap_mend: str = ""
    ours: str = ""
    drafts_of: int | None = None


@dataclass(frozen=True)
class ListingRow:
    """One listing in a list. The price is in minor units of the channel's currency, the cost in
    those of the seller's currency.
    """

    id: int
    sku: str
    title: str
    channel: str
    channel_key: str
    state: str
    outdated: str
    gap_count: int
    demands: int
    met: int
    price: int | None
    floored: bool
    sent_price: int | None
    quantity: int
    sent_quantity: int | None
    ref: str
    cost: int | None
    changed_at: datetime
    currency: str
    gone: str
    is_head: bool
    head_id: int | None
    followed: bool
    margin: int | None
    regular: int | None


def conditions_of(session: Session, wanted: ListingFilter) -> list[ColumnElement[bool]]:
    """Returns conditions on the listing's own columns, so that counting needs no join. Listings of
    products in the archive are left out.
    """
    archived = select(_product.id).where(_product.archived_at.is_not(None))
    return [Listing.product_id.not_in(archived), *conditions_named_by(session, wanted)]


def conditions_named_by(session: Session, wanted: ListingFilter) -> list[ColumnElement[bool]]:
    """Returns the conditions that a filter names, whether the product is in the archive or not."""
    found: list[ColumnElement[bool]] = []
    if wanted.words and (found_by := search.look_for(session, wanted.words)):
        found.append(found_by.condition(Listing.__table__.c.product_id))
    if wanted.channel:
        found.append(
            Listing.channel_id
            == select(Channel.id).where(Channel.key == wanted.channel).scalar_subquery()
        )
    if wanted.state:
        found.append(Listing.state == wanted.state)
    if wanted.layer is not None:
        found.append(
            Listing.id.in_(
                select(ListingLayer.listing_id).where(ListingLayer.layer_id == wanted.layer)
            )
        )
    if wanted.family is not None:
        row = Listing.__table__.c
        members = select(row.id).where(row.head_id == wanted.family)
        found.append(Listing.id.in_(members.union_all(select(literal(wanted.family)))))
    if wanted.lapsing_before:
        row = Listing.__table__.alias("lapsing").c
        lapsing = select(row.id).where(row.until < wanted.lapsing_before, row.shown.is_(True))
        found.append(among_found(session, Listing.id, lapsing))
    if wanted.drafts_of is not None:
        drafted = select(BulkJobRow.listing_id).where(BulkJobRow.job_id == wanted.drafts_of)
        found.append(Listing.id.in_(drafted.where(BulkJobRow.listing_id.is_not(None))))
    if wanted.gap or wanted.gap_kind or wanted.gap_mend or wanted.ours:
        condition = has_gap(
            session,
            wanted.channel,
            field=wanted.gap,
            kind=wanted.gap_kind,
            mend=wanted.gap_mend,
            ours=wanted.ours,
        )
        found.append(condition)
    return found


def listing_ids_with(
    session: Session, wanted: ListingFilter, limit: int | None = None
) -> list[int]:
    """Returns the ids of all listings that a filter finds, in order."""
    statement = select(Listing.id).where(*conditions_of(session, wanted)).order_by(Listing.id)
    return list(session.scalars(statement.limit(limit)))


def select_listing_rows() -> Select[*tuple[Any, ...]]:
    """Builds the query for the columns of a `ListingRow`, joined from listing, product and channel."""
    return (
        select(
            Listing.id,
            func.coalesce(func.nullif(Listing.alias, ""), Product.sku),
            Product.title,
            Channel.name,
            Channel.key,
            Listing.state,
            Listing.outdated,
            Listing.gap_count,
            Listing.demands,
            Listing.met,
            Listing.price,
            Listing.floored,
            Listing.sent_price,
            Listing.quantity,
            Listing.sent_quantity,
            Listing.ref,
            Product.cost,
            Listing.changed_at,
            Channel.currency,
            Listing.gone,
            Listing.is_head,
            Listing.head_id,
            Listing.followed,
            Listing.margin,
            Listing.regular,
        )
        .join(Product, Product.id == Listing.product_id)
        .join(Channel, Channel.id == Listing.channel_id)
    )


SORTING = Sorting(
    {
        "title": Product.title,
        "channel": Listing.channel_id,
        "state": Listing.state,
        "demands": Listing.demands - Listing.met,
        "price": func.coalesce(Listing.price, 0),
        "quantity": Listing.quantity,
        "changed": Listing.changed_at,
    },
    key=Listing.id,
    key_down=True,
    source=join(Listing, Product, Product.id == Listing.product_id),
)


def listing_page(
    session: Session, wanted: ListingFilter, *, after: int = 0, limit: int = 50, sort: str = ""
) -> list[ListingRow]:
    """Returns listings, the newest first or sorted by a column of `SORTING`, starting after one of
    them; two queries, and a third one to continue. Only the ids are sorted, because sorting 200,000
    whole rows would be slow.
    """
    chosen = select(Listing.id).where(*conditions_of(session, wanted))
    if sort.removeprefix("-") == "title":
        chosen = chosen.join(Product, Product.id == Listing.product_id)
    ids = list(session.scalars(sort_page(session, chosen, SORTING, sort, after, limit)))
    rows = rows_as(ListingRow, session, select_listing_rows().where(Listing.id.in_(ids)))
    return sorted(rows, key=lambda row: ids.index(row.id))


def count_listings(session: Session, wanted: ListingFilter) -> Count:
    """Returns how many listings a filter finds, counted up to 10,000."""
    return count_up_to(session, select(Listing.id).where(*conditions_of(session, wanted)), wanted)


def listing_rows_of(session: Session, listing_ids: Collection[int]) -> list[ListingRow]:
    """Returns listings by their ids, in the order of the SKUs."""
    statement = (
        select_listing_rows()
        .where(among(Listing.id, listing_ids))
        .order_by(Product.sku_key, Listing.id)
    )
    return rows_as(ListingRow, session, statement)


def listings_of_products(session: Session, product_ids: Sequence[int]) -> list[ListingRow]:
    """Returns the listings of some products, by SKU and channel."""
    statement = (
        select_listing_rows()
        .where(among(Listing.product_id, product_ids))
        .order_by(Product.sku_key, Channel.id)
    )
    return rows_as(ListingRow, session, statement)


def listings_without_category(
    session: Session, wanted: ListingFilter
) -> list[tuple[int, str, str, str]]:
    """Returns (listing, SKU, title, our category) of the listings that a filter finds and that lack
    a category on their channel. Members of a family's page are left out, as they have their head's.
    """
    family = aliased(Product)
    ids = session.scalars(select(Listing.id).where(*conditions_of(session, wanted))).all()
    statement = (
        select(
            Listing.id,
            func.coalesce(func.nullif(Listing.alias, ""), Product.sku),
            Product.title,
            func.coalesce(func.nullif(Product.category, ""), family.category, ""),
            Product.sku_key,
        )
        .join(Product, Product.id == Listing.product_id)
        .outerjoin(family, family.id == Product.family_id)
        .where(among(Listing.id, ids), Listing.head_id.is_(None))
    )
    found = sorted(session.execute(statement).all(), key=lambda row: row[-1])
    return [tuple(row[:-1]) for row in found]
