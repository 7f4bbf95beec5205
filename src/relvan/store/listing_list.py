"""Pages of listings for the screen: which ones a filter finds, and the flat rows of a list."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Select, exists, func, join, select
from sqlalchemy.orm import Session, aliased

from relvan.store import search
from relvan.store.among import among
from relvan.store.counting import Count, count_up_to
from relvan.store.portable import json_items, part_of
from relvan.store.rows import rows_as
from relvan.store.sorting import Sorting, sort_page
from relvan.store.tables import (
    BulkJobRow,
    Channel,
    Listing,
    ListingLayer,
    Product,
)


@dataclass(frozen=True)
class ListingFilter:
    """Which listings a page shows. `gap` is the field that lacks something, `gap_kind`, `gap_mend` and `ours` say more
    of the same gap (see `core/listings/gaps.py`); `drafts_of` is the bulk job that drafted them."""

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
    """One listing in a list; price in minor units of the channel's currency, cost of the seller's currency."""

    id: int
    sku: str
    title: str
    channel: str
    channel_key: str
    state: str
    behind: str
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
    """Conditions on the listing alone, so that counting joins nothing."""
    archived = select(Product.id).where(Product.archived_at.is_not(None))
    found: list[ColumnElement[bool]] = [Listing.product_id.not_in(archived)]
    if wanted.words and (found_by := search.look_for(session, wanted.words)):
        found.append(found_by.condition(Listing.__table__.c.product_id))
    if wanted.channel:
        found.append(Listing.channel_id == select(Channel.id).where(Channel.key == wanted.channel).scalar_subquery())
    if wanted.state:
        found.append(Listing.state == wanted.state)
    if wanted.layer is not None:
        found.append(Listing.id.in_(select(ListingLayer.listing_id).where(ListingLayer.layer_id == wanted.layer)))
    if wanted.family is not None:
        found.append((Listing.id == wanted.family) | (Listing.head_id == wanted.family))
    if wanted.lapsing_before:
        found.append((Listing.until < wanted.lapsing_before) & Listing.shown.is_(True))
    if wanted.drafts_of is not None:
        drafted = select(BulkJobRow.listing_id).where(BulkJobRow.job_id == wanted.drafts_of)
        found.append(Listing.id.in_(drafted.where(BulkJobRow.listing_id.is_not(None))))
    condition = gap_condition(wanted.gap, wanted.gap_kind, wanted.gap_mend, wanted.ours)
    if condition is not None:
        found += [Listing.gap_count > 0, condition]
    return found


def gap_condition(field: str = "", kind: str = "", mend: str = "", ours: str = "") -> ColumnElement[bool] | None:
    """That a listing has one gap of which all this is true; none when nothing is asked of it."""
    asked = {"field": field, "kind": kind, "mend": mend, "ours": ours}
    if not any(asked.values()):
        return None
    gap: Any = json_items(Listing.gaps).table_valued("value", name="gap")
    parts = [part_of(gap.c.value, name) == value for name, value in asked.items() if value]
    return exists(select(1).select_from(gap).where(*parts).correlate(Listing))


def listing_ids_with(session: Session, wanted: ListingFilter, limit: int | None = None) -> list[int]:
    """The ids of all listings that a filter finds, in order."""
    statement = select(Listing.id).where(*conditions_of(session, wanted)).order_by(Listing.id)
    return list(session.scalars(statement.limit(limit)))


def select_listing_rows() -> Select[*tuple[Any, ...]]:
    """The columns of a `ListingRow`, joined from listing, product and channel."""
    return (
        select(
            Listing.id, func.coalesce(func.nullif(Listing.alias, ""), Product.sku), Product.title, Channel.name,
            Channel.key, Listing.state, Listing.behind,
            Listing.gap_count, Listing.demands, Listing.met, Listing.price, Listing.floored, Listing.sent_price,
            Listing.quantity, Listing.sent_quantity, Listing.ref, Product.cost, Listing.changed_at,
            Channel.currency, Listing.gone, Listing.is_head, Listing.head_id, Listing.followed,
            Listing.margin, Listing.regular,
        )
        .join(Product, Product.id == Listing.product_id)
        .join(Channel, Channel.id == Listing.channel_id)
    )  # fmt: skip


SORTING = Sorting(
    {
        "title": Product.title,
        "channel": Channel.name,
        "state": Listing.state,
        "demands": Listing.demands - Listing.met,
        "price": func.coalesce(Listing.price, 0),
        "quantity": Listing.quantity,
        "changed": Listing.changed_at,
    },
    key=Listing.id,
    key_down=True,
    source=join(join(Listing, Product, Product.id == Listing.product_id), Channel, Channel.id == Listing.channel_id),
)


def listing_page(
    session: Session, wanted: ListingFilter, *, after: int = 0, limit: int = 50, sort: str = ""
) -> list[ListingRow]:
    """Listings, newest first or by a column of `SORTING`, after one of them; one query, a second one to go on."""
    statement = select_listing_rows().where(*conditions_of(session, wanted))
    return rows_as(ListingRow, session, sort_page(session, statement, SORTING, sort, after, limit))


def count_listings(session: Session, wanted: ListingFilter) -> Count:
    """How many there are, counted up to 10,000."""
    return count_up_to(session, select(Listing.id).where(*conditions_of(session, wanted)), wanted)


def listing_rows_of(session: Session, listing_ids: Collection[int]) -> list[ListingRow]:
    """Listings by their ids, by SKU."""
    statement = select_listing_rows().where(among(Listing.id, listing_ids)).order_by(Product.sku_key, Listing.id)
    return rows_as(ListingRow, session, statement)


def listings_of_products(session: Session, product_ids: Sequence[int]) -> list[ListingRow]:
    """The listings of some products, by SKU and channel."""
    statement = (
        select_listing_rows().where(among(Listing.product_id, product_ids)).order_by(Product.sku_key, Channel.id)
    )
    return rows_as(ListingRow, session, statement)


def category_lackers(session: Session, wanted: ListingFilter) -> list[tuple[int, str, str, str]]:
    """(listing, SKU, title, our category) of those listings that a filter finds whose category on the channel is a
    gap; members of a family's page have their head's."""
    family = aliased(Product)
    statement = (
        select(
            Listing.id, func.coalesce(func.nullif(Listing.alias, ""), Product.sku), Product.title,
            func.coalesce(func.nullif(Product.category, ""), family.category, ""),
        )
        .join(Product, Product.id == Listing.product_id)
        .outerjoin(family, family.id == Product.family_id)
        .where(*conditions_of(session, wanted), Listing.head_id.is_(None))
        .order_by(Product.sku_key)
    )  # fmt: skip
    return [tuple(row) for row in session.execute(statement).all()]
