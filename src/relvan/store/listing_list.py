"""Reads pages of listings for the screen: which ones a filter finds, and the flat rows of a list."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Select, false, func, join, literal, or_, select, true
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
    """Returns conditions on the listing's own columns, so that counting needs no join."""
    archived = select(Product.id).where(Product.archived_at.is_not(None))
    found: list[ColumnElement[bool]] = [Listing.product_id.not_in(archived)]
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
        found.append((Listing.until < wanted.lapsing_before) & Listing.shown.is_(True))
    if wanted.drafts_of is not None:
        drafted = select(BulkJobRow.listing_id).where(BulkJobRow.job_id == wanted.drafts_of)
        found.append(Listing.id.in_(drafted.where(BulkJobRow.listing_id.is_not(None))))
    if wanted.gap or wanted.gap_kind or wanted.gap_mend or wanted.ours:
        condition = has_gap(
            session, field=wanted.gap, kind=wanted.gap_kind, mend=wanted.gap_mend, ours=wanted.ours
        )
        found.append(condition)
    return found


def alike_gaps(*conditions: ColumnElement[bool]) -> tuple[Any, Any]:
    """Returns (listings that lack the same on a channel, each of their gaps). The first has the
    channel, the mark and the count; the gaps are listed once for all of these listings. In this way
    200,000 listings cost no more than the few hundred ways in which they differ.
    """
    row = Listing.__table__.c
    counted = (
        select(
            row.channel_id, row.gap_mark, func.count().label("count"), func.min(row.id).label("id")
        )
        .where(row.gap_count > 0, *conditions)
        .group_by(row.channel_id, row.gap_mark)
        .subquery("counted")
    )
    one = aliased(Listing, name="one")
    alike = (
        select(counted.c.channel_id, counted.c.gap_mark, counted.c.count, one.gaps)
        .join(one, one.id == counted.c.id)
        .subquery("alike")
    )
    return alike, json_items(alike.c.gaps).table_valued("value", name="gap")


def ways_to_lack() -> Any:
    """Returns the ways in which listings lack something: a channel, a mark, and the gaps of a
    listing that has this mark. The index is entered once for each way, so that it makes no
    difference how many listings there are.
    """
    row = Listing.__table__.c

    def first_mark(*conditions: ColumnElement[bool]) -> Any:
        return select(func.min(row.gap_mark)).where(row.gap_count > 0, *conditions)

    found = select(
        Channel.id.label("channel_id"),
        first_mark(row.channel_id == Channel.id).scalar_subquery().label("gap_mark"),
    ).cte("found", recursive=True)
    following = first_mark(row.channel_id == found.c.channel_id, row.gap_mark > found.c.gap_mark)
    found = found.union_all(
        select(found.c.channel_id, following.correlate(found).scalar_subquery()).where(
            found.c.gap_mark.is_not(None)
        )
    )
    one = (
        select(row.gaps)
        .where(
            row.channel_id == found.c.channel_id,
            row.gap_mark == found.c.gap_mark,
            row.gap_count > 0,
        )
        .limit(1)
    )
    return (
        select(
            found.c.channel_id,
            found.c.gap_mark,
            one.correlate(found).scalar_subquery().label("gaps"),
        )
        .where(found.c.gap_mark.is_not(None))
        .subquery("way")
    )


def has_gap(session: Session, **asked: str) -> ColumnElement[bool]:
    """Returns the condition that a listing has one gap which matches `field`, `kind`, `mend` and
    `ours`; an empty one matches every gap. The ways in which listings lack such a thing are read
    first, so that the listings are then found by channel and mark.
    """
    way = ways_to_lack()
    gap = json_items(way.c.gaps).table_valued("value", name="gap")
    parts = [part_of(gap.c.value, name) == value for name, value in asked.items() if value]
    found = select(way.c.channel_id, way.c.gap_mark).select_from(way).join(gap, true())
    marks: dict[int, list[str]] = {}
    for channel_id, mark in session.execute(found.where(*parts).distinct()):
        marks.setdefault(channel_id, []).append(mark)
    return (Listing.gap_count > 0) & or_(
        false(),
        *(
            (Listing.channel_id == channel_id) & among(Listing.gap_mark, alike)
            for channel_id, alike in marks.items()
        ),
    )


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
    statement = (
        select(
            Listing.id,
            func.coalesce(func.nullif(Listing.alias, ""), Product.sku),
            Product.title,
            func.coalesce(func.nullif(Product.category, ""), family.category, ""),
        )
        .join(Product, Product.id == Listing.product_id)
        .outerjoin(family, family.id == Product.family_id)
        .where(*conditions_of(session, wanted), Listing.head_id.is_(None))
        .order_by(Product.sku_key)
    )
    return [tuple(row) for row in session.execute(statement).all()]
