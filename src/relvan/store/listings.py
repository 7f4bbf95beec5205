"""Queries over listings: what the rules need to work them out, and pages of them for the screen."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Select, case, exists, func, or_, select
from sqlalchemy.orm import Session, aliased

from relvan.core.catalogue.identity import sku_key
from relvan.core.listings.rulebook import Place
from relvan.core.refusal import not_found
from relvan.store import search
from relvan.store.among import among
from relvan.store.channels import OPEN_STATES
from relvan.store.counting import Count, count_up_to
from relvan.store.portable import json_items, part_of
from relvan.store.rows import rows_as
from relvan.store.tables import (
    BulkJobRow,
    Channel,
    Listing,
    ListingLayer,
    ListPrice,
    OutboxEntry,
    Product,
    SkuName,
)


def listing_by_id(session: Session, listing_id: int) -> Listing:
    """One listing."""
    listing = session.get(Listing, listing_id)
    if listing is None:
        raise not_found("listing", listing_id)
    return listing


def listings_of(
    session: Session,
    *,
    product_ids: Collection[int] | None = None,
    listing_ids: Collection[int] | None = None,
    channel_id: int | None = None,
) -> list[Listing]:
    """The listings of products, by ids, or of a whole channel."""
    statement = select(Listing).order_by(Listing.id)
    if product_ids is not None:
        statement = statement.where(among(Listing.product_id, product_ids))
    if listing_ids is not None:
        statement = statement.where(among(Listing.id, listing_ids))
    if channel_id is not None:
        statement = statement.where(Listing.channel_id == channel_id)
    return list(session.scalars(statement))


def listing_ids_of(
    session: Session,
    *,
    product_ids: Collection[int] | None = None,
    listing_ids: Collection[int] | None = None,
    channel_id: int | None = None,
) -> list[int]:
    """The ids of listings of products, of some, or of a whole channel; of a family's page also those of its members.

    Heads come before their members, so that these are worked out from what the head has become.
    """
    conditions: list[ColumnElement[bool]] = []
    if product_ids is not None:
        conditions.append(among(Listing.product_id, product_ids))
    if listing_ids is not None:
        conditions.append(among(Listing.id, listing_ids))
    if channel_id is not None:
        conditions.append(Listing.channel_id == channel_id)
    statement = select(Listing.id, Listing.head_id, Listing.is_head).where(*conditions)
    rows = session.execute(statement.order_by(Listing.id)).all()
    own = [listing_id for listing_id, head, _ in rows if head is None]
    members = {listing_id: None for listing_id, head, _ in rows if head is not None}
    heads = [listing_id for listing_id, _, is_head in rows if is_head]
    if heads:
        under = select(Listing.id).where(Listing.head_id.is_not(None), among(Listing.head_id, heads))
        members |= dict.fromkeys(session.scalars(under.order_by(Listing.id)))
    return [*own, *members]


def listed_on(session: Session, channel_id: int, wanted: Collection[tuple[int, str]]) -> dict[tuple[int, str], int]:
    """The listings that products, and the families they belong to, have on a channel: (product, alias) -> listing."""
    products = {product_id for product_id, _ in wanted}
    families = select(Product.family_id).where(Product.family_id.is_not(None), among(Product.id, products))
    statement = select(Listing.product_id, Listing.alias, Listing.id).where(
        Listing.channel_id == channel_id, among(Listing.product_id, products) | Listing.product_id.in_(families)
    )
    return {(product_id, alias): listing_id for product_id, alias, listing_id in session.execute(statement)}


@dataclass(frozen=True)
class ImpactRow:
    """Of a listing what the impact of a layer looks at."""

    id: int
    channel_id: int
    product_id: int
    sku: str
    own: dict[str, str]
    category: str
    state: str
    placed: bool
    part: Place
    alias: str


_PART = case((Listing.head_id.is_not(None), "member"), (Listing.is_head, "head"), else_="whole")


def impact_rows(session: Session, listing_ids: Collection[int]) -> list[ImpactRow]:
    """What the impact of a layer looks at of listings; one query, past the object layer."""
    statement = (
        select(
            Listing.id, Listing.channel_id, Listing.product_id, func.coalesce(func.nullif(Listing.alias, ""),
            Product.sku), Listing.own, Listing.category, Listing.state, Listing.placed, _PART, Listing.alias,
        )
        .join(Product, Product.id == Listing.product_id)
        .where(among(Listing.id, listing_ids))
        .order_by(Listing.id)
    )  # fmt: skip
    return [ImpactRow(*row) for row in session.connection().execute(statement)]


def member_counts(session: Session, head_ids: Collection[int]) -> dict[int, int]:
    """How many members heads of families' pages have."""
    statement = select(Listing.head_id, func.count()).where(
        Listing.head_id.is_not(None), among(Listing.head_id, head_ids)
    )
    rows = session.execute(statement.group_by(Listing.head_id)).all()
    return {head: count for head, count in rows if head is not None}


def members_of(session: Session, head_ids: Collection[int]) -> list[Listing]:
    """The members of families' pages, by id."""
    statement = select(Listing).where(Listing.head_id.is_not(None), among(Listing.head_id, head_ids))
    return list(session.scalars(statement.order_by(Listing.id)))


def list_prices(session: Session, product_ids: Collection[int]) -> dict[tuple[int, int], int]:
    """List prices in minor units by (price list, product); a variant without one has its family's."""
    own_or_lent = or_(ListPrice.product_id == Product.id, ListPrice.product_id == Product.family_id)
    rows = session.execute(
        select(ListPrice.price_list_id, Product.id, ListPrice.amount, ListPrice.product_id == Product.id)
        .join(Product, own_or_lent)
        .where(among(Product.id, product_ids))
    ).all()
    lent = {(list_id, product_id): amount for list_id, product_id, amount, own in rows if not own}
    return {**lent, **{(list_id, product_id): amount for list_id, product_id, amount, own in rows if own}}


def placed_by_ref(session: Session, channel_id: int, refs: Collection[str]) -> dict[str, Listing]:
    """The listings of a channel that have a place there, by the channel's references."""
    wanted = select(Listing).where(Listing.channel_id == channel_id, among(Listing.ref, refs), Listing.placed.is_(True))
    return {listing.ref: listing for listing in session.scalars(wanted)}


def open_topics(session: Session, listing_ids: Collection[int], *, since: datetime) -> set[tuple[int, str]]:
    """(listing, topic) of what waits to be sent, is being sent, or has been answered since then."""
    unsettled = OutboxEntry.state.in_(OPEN_STATES) | (OutboxEntry.ended_at >= since)
    rows = session.execute(
        select(OutboxEntry.listing_id, OutboxEntry.topic).where(among(OutboxEntry.listing_id, listing_ids), unsettled)
    )
    return {(listing_id, topic) for listing_id, topic in rows if listing_id is not None}


def open_updates(session: Session, listing_ids: Collection[int]) -> list[OutboxEntry]:
    """What waits to be sent of listings, or is being sent. By its end, not by its state: very many may wait, of which
    SQLite would think that they were few."""
    wanted = select(OutboxEntry).where(among(OutboxEntry.listing_id, listing_ids), OutboxEntry.ended_at.is_(None))
    return list(session.scalars(wanted))


def tellings_of_listing(session: Session, listing_id: int, most: int = 20) -> list[OutboxEntry]:
    """What a channel was told about a listing, newest first."""
    statement = select(OutboxEntry).where(OutboxEntry.listing_id == listing_id)
    return list(session.scalars(statement.order_by(OutboxEntry.id.desc()).limit(most)))


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


def listing_page(session: Session, wanted: ListingFilter, *, after: int = 0, limit: int = 50) -> list[ListingRow]:
    """Listings, newest first, after one of them; one query."""
    statement = select_listing_rows().where(*conditions_of(session, wanted)).order_by(Listing.id.desc()).limit(limit)
    if after:
        statement = statement.where(Listing.id < after)
    return rows_as(ListingRow, session, statement)


def count_listings(session: Session, wanted: ListingFilter) -> Count:
    """How many there are, counted up to 10,000."""
    return count_up_to(session, select(Listing.id).where(*conditions_of(session, wanted)), wanted)


@dataclass(frozen=True)
class SpokenListing:
    """A listing as a file of fields names it."""

    id: int
    sku: str
    own: dict[str, str]


def spoken_listings(session: Session, skus: Collection[str]) -> dict[tuple[int, str], SpokenListing]:
    """Listings by channel and the key of the SKU or alias under which they are offered."""
    named = func.coalesce(func.nullif(Listing.alias, ""), Product.sku)
    statement = (
        select(Listing.channel_id, Listing.id, named, Listing.own)
        .join(Product, Product.id == Listing.product_id)
        .join(SkuName, SkuName.product_id == Product.id)
        .where(among(SkuName.key, {sku_key(sku) for sku in skus}))
        .distinct()
        .order_by(Listing.id)
    )
    wanted = {sku_key(sku) for sku in skus}
    return {
        (channel_id, sku_key(sku)): SpokenListing(listing_id, sku, own)
        for channel_id, listing_id, sku, own in session.execute(statement).all()
        if sku_key(sku) in wanted
    }


def spoken_by_id(session: Session, listing_ids: Collection[int]) -> dict[int, tuple[int, SpokenListing]]:
    """(channel, what a listing says of its own) by the listing's id."""
    named = func.coalesce(func.nullif(Listing.alias, ""), Product.sku)
    statement = (
        select(Listing.channel_id, Listing.id, named, Listing.own)
        .join(Product, Product.id == Listing.product_id)
        .where(among(Listing.id, listing_ids))
    )
    return {
        listing_id: (channel_id, SpokenListing(listing_id, sku, own))
        for channel_id, listing_id, sku, own in session.execute(statement).all()
    }


def is_spoken_of(session: Session, listing_id: int) -> bool:
    """Whether updates, bulk jobs or members of its page still name a listing."""
    named = (
        select(OutboxEntry.id).where(OutboxEntry.listing_id == listing_id),
        select(BulkJobRow.id).where(BulkJobRow.listing_id == listing_id),
        select(Listing.id).where(Listing.head_id == listing_id),
    )
    return any(session.scalar(statement.limit(1)) is not None for statement in named)


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


def category_and_title(session: Session, listing_id: int) -> tuple[str, str]:
    """Our category and title of what a listing offers."""
    family = aliased(Product)
    row = session.execute(
        select(func.coalesce(func.nullif(Product.category, ""), family.category, ""), Product.title)
        .select_from(Listing)
        .join(Product, Product.id == Listing.product_id)
        .outerjoin(family, family.id == Product.family_id)
        .where(Listing.id == listing_id)
    ).first()
    if row is None:
        raise not_found("listing", listing_id)
    return row[0], row[1]


def chosen_categories(session: Session, channel_id: int, of: str | None = None) -> dict[str, dict[str, int]]:
    """What was chosen before on a channel: by our category (or for one alone) how many listings are in which of the
    channel's."""
    family = aliased(Product)
    ours = func.coalesce(func.nullif(Product.category, ""), family.category, "")
    statement = (
        select(ours, Listing.category, func.count())
        .join(Product, Product.id == Listing.product_id)
        .outerjoin(family, family.id == Product.family_id)
        .where(Listing.channel_id == channel_id, Listing.category != "")
        .group_by(ours, Listing.category)
    )
    if of is not None:
        statement = statement.where(ours == of)
    found: dict[str, dict[str, int]] = {}
    for category, theirs, count in session.execute(statement).all():
        found.setdefault(category, {})[theirs] = count
    return found


def untranslated_values(session: Session, channel_id: int) -> list[tuple[str, str, int]]:
    """(field, our value, how many listings) of what a channel's table lacks, the most frequent first."""
    gap: Any = json_items(Listing.gaps).table_valued("value", name="gap")
    name, ours = (part_of(gap.c.value, part) for part in ("field", "ours"))
    statement = (
        select(name, ours, func.count())
        .select_from(Listing)
        .join(gap, Listing.id > 0)
        .where(Listing.channel_id == channel_id, Listing.gap_count > 0)
        .where(part_of(gap.c.value, "kind") == "untranslated")
        .group_by(name, ours)
        .order_by(func.count().desc(), name, ours)
    )
    return [(field, said, count) for field, said, count in session.execute(statement).all()]


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
