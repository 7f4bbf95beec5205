"""Queries over listings: what the rules need to work them out, and what other stations look up of
them.
"""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import ColumnElement, Select, case, func, or_, select
from sqlalchemy.orm import Session, aliased

from relvan.core.catalogue.identity import sku_key
from relvan.core.channels.sending import OPEN_UPDATES, Topic
from relvan.core.listings.rulebook import Place
from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.lacks import all_ways
from relvan.store.tables import (
    BulkJobRow,
    Channel,
    Listing,
    ListPrice,
    OutboxEntry,
    Product,
    SkuName,
)


def listing_by_id(session: Session, listing_id: int) -> Listing:
    """Returns the listing with an id."""
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
    """Returns the listings with some ids, of some products, or of a whole channel."""
    if channel_id is None and listing_ids is None and product_ids is not None:
        return list(session.scalars(*_listings_of_products(product_ids)))
    if channel_id is None and product_ids is None and listing_ids is not None:
        return list(session.scalars(*_listings_with_ids(listing_ids)))
    statement = select(Listing).order_by(Listing.id)
    if product_ids is not None:
        statement = statement.where(among(Listing.product_id, product_ids))
    if listing_ids is not None:
        statement = statement.where(among(Listing.id, listing_ids))
    if channel_id is not None:
        statement = statement.where(Listing.channel_id == channel_id)
    return list(session.scalars(statement))


@built_once
def _listings_of_products(product_ids: Collection[int]) -> Select[Listing]:
    return select(Listing).where(among(Listing.product_id, product_ids)).order_by(Listing.id)


@built_once
def _listings_with_ids(listing_ids: Collection[int]) -> Select[Listing]:
    return select(Listing).where(among(Listing.id, listing_ids)).order_by(Listing.id)


def listing_ids_of(
    session: Session,
    *,
    product_ids: Collection[int] | None = None,
    listing_ids: Collection[int] | None = None,
    channel_id: int | None = None,
) -> list[int]:
    """Returns the ids of listings of products, of some listings, or of a whole channel; with the
    head of a family's page come the ids of its members.

    Heads come before their members, because members are worked out from what their head has become.
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
        under = select(Listing.id).where(
            Listing.head_id.is_not(None), among(Listing.head_id, heads)
        )
        members |= dict.fromkeys(session.scalars(under.order_by(Listing.id)))
    return [*own, *members]


def listed_on(
    session: Session, channel_id: int, wanted: Collection[tuple[int, str]]
) -> dict[tuple[int, str], int]:
    """Returns the listings that products, and the families they belong to, have on a channel, as
    (product, alias) -> listing.
    """
    products = {product_id for product_id, _ in wanted}
    families = select(Product.family_id).where(
        Product.family_id.is_not(None), among(Product.id, products)
    )
    statement = select(Listing.product_id, Listing.alias, Listing.id).where(
        Listing.channel_id == channel_id,
        among(Listing.product_id, products) | Listing.product_id.in_(families),
    )
    return {
        (product_id, alias): listing_id
        for product_id, alias, listing_id in session.execute(statement)
    }


@dataclass(frozen=True)
class ImpactRow:
    """The columns of a listing from which the impact of a layer is worked out."""

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
    """Returns for listings the columns from which the impact of a layer is worked out; one query,
    without the object layer.
    """
    statement = (
        select(
            Listing.id,
            Listing.channel_id,
            Listing.product_id,
            func.coalesce(func.nullif(Listing.alias, ""), Product.sku),
            Listing.own,
            Listing.category,
            Listing.state,
            Listing.placed,
            _PART,
            Listing.alias,
        )
        .join(Product, Product.id == Listing.product_id)
        .where(among(Listing.id, listing_ids))
        .order_by(Listing.id)
    )
    return [ImpactRow(*row) for row in session.connection().execute(statement)]


def member_counts(session: Session, head_ids: Collection[int]) -> dict[int, int]:
    """Returns how many members the heads of families' pages have."""
    statement = select(Listing.head_id, func.count()).where(
        Listing.head_id.is_not(None), among(Listing.head_id, head_ids)
    )
    rows = session.execute(statement.group_by(Listing.head_id)).all()
    return {head: count for head, count in rows if head is not None}


def members_of(session: Session, head_ids: Collection[int]) -> list[Listing]:
    """Returns the members of families' pages, by id."""
    return list(session.scalars(*_members_under(head_ids)))


@built_once
def _members_under(head_ids: Collection[int]) -> Select[Listing]:
    statement = select(Listing).where(
        Listing.head_id.is_not(None), among(Listing.head_id, head_ids)
    )
    return statement.order_by(Listing.id)


def list_prices(session: Session, product_ids: Collection[int]) -> dict[tuple[int, int], int]:
    """Returns list prices in minor units by (price list, product). A variant without one has its
    family's.
    """
    rows = bare_rows(session, *_own_and_lent_prices(product_ids)).all()
    lent = {(list_id, product_id): amount for list_id, product_id, amount, own in rows if not own}
    return {
        **lent,
        **{(list_id, product_id): amount for list_id, product_id, amount, own in rows if own},
    }


@built_once
def _own_and_lent_prices(product_ids: Collection[int]) -> Select[int, int, int, bool]:
    own_or_lent = or_(ListPrice.product_id == Product.id, ListPrice.product_id == Product.family_id)
    columns = (
        ListPrice.price_list_id,
        Product.id,
        ListPrice.amount,
        ListPrice.product_id == Product.id,
    )
    return select(*columns).join(Product, own_or_lent).where(among(Product.id, product_ids))


def placed_by_ref(session: Session, channel_id: int, refs: Collection[str]) -> dict[str, Listing]:
    """Returns the listings that are on a channel, by the channel's references."""
    wanted = select(Listing).where(
        Listing.channel_id == channel_id, among(Listing.ref, refs), Listing.placed.is_(True)
    )
    return {listing.ref: listing for listing in session.scalars(wanted)}


def open_topics(
    session: Session, listing_ids: Collection[int], *, since: datetime
) -> set[tuple[int, str]]:
    """Returns (listing, topic) of the updates that wait, are being sent, or were answered since a
    moment.
    """
    unsettled = OutboxEntry.state.in_(OPEN_UPDATES) | (OutboxEntry.ended_at >= since)
    rows = session.execute(
        select(OutboxEntry.listing_id, OutboxEntry.topic).where(
            among(OutboxEntry.listing_id, listing_ids), unsettled
        )
    )
    return {(listing_id, topic) for listing_id, topic in rows if listing_id is not None}


def tellings_of_listing(session: Session, listing_id: int, most: int = 20) -> list[OutboxEntry]:
    """Returns the updates by which a channel was told about a listing, the newest first."""
    statement = select(OutboxEntry).where(OutboxEntry.listing_id == listing_id)
    return list(session.scalars(statement.order_by(OutboxEntry.id.desc()).limit(most)))


def head_ids(session: Session, listing_ids: Collection[int]) -> set[int]:
    """Returns those of some listings that are heads of families' pages."""
    return set(
        session.scalars(
            select(Listing.id).where(among(Listing.id, listing_ids), Listing.is_head.is_(True))
        )
    )


def listing_names(session: Session, listing_ids: Collection[int]) -> dict[int, str]:
    """Returns (SKU or alias, channel) of listings, in the order of the ids."""
    rows = session.execute(
        select(Listing.id, func.coalesce(func.nullif(Listing.alias, ""), Product.sku), Channel.name)
        .join(Product, Product.id == Listing.product_id)
        .join(Channel, Channel.id == Listing.channel_id)
        .where(among(Listing.id, listing_ids))
    )
    names = {listing_id: f"{sku} on {channel}" for listing_id, sku, channel in rows}
    return {listing_id: names[listing_id] for listing_id in listing_ids}


def open_publishes(session: Session, listing_ids: Collection[int]) -> list[OutboxEntry]:
    """Returns the unanswered updates that publish some listings."""
    wanted = select(OutboxEntry).where(
        among(OutboxEntry.listing_id, listing_ids),
        OutboxEntry.topic == Topic.PUBLISH,
        OutboxEntry.state.in_(OPEN_UPDATES),
    )
    return list(session.scalars(wanted))


@dataclass(frozen=True)
class SpokenListing:
    """A listing as a file of fields names it."""

    id: int
    sku: str
    own: dict[str, str]


def spoken_listings(
    session: Session, skus: Collection[str]
) -> dict[tuple[int, str], SpokenListing]:
    """Returns listings by channel and the key of the SKU or alias under which they are offered."""
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


def spoken_by_id(
    session: Session, listing_ids: Collection[int]
) -> dict[int, tuple[int, SpokenListing]]:
    """Returns (channel, the values that the listing has itself) by the listing's id."""
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
    """Says whether updates, bulk jobs or members of its page still refer to a listing."""
    named = (
        select(OutboxEntry.id).where(OutboxEntry.listing_id == listing_id),
        select(BulkJobRow.id).where(BulkJobRow.listing_id == listing_id),
        select(Listing.id).where(Listing.head_id == listing_id),
    )
    return any(session.scalar(statement.limit(1)) is not None for statement in named)


def category_and_title(session: Session, listing_id: int) -> tuple[str, str]:
    """Returns our category and title of the product that a listing offers."""
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


def chosen_categories(
    session: Session, channel_id: int, of: str | None = None
) -> dict[str, dict[str, int]]:
    """Returns which categories were chosen before on a channel: by our category (or for one of
    ours), how many listings are in each of the channel's.
    """
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


def untranslated_values(session: Session, channel: str) -> list[tuple[str, str, int]]:
    """Returns (field, our value, number of listings) of the values that the translation table of
    the channel with a key lacks, the most frequent first.
    """
    counts: dict[tuple[str, str], int] = {}
    for way in all_ways(session, channel):
        for gap in way.gaps:
            if gap["kind"] == "untranslated":
                said = (gap["field"], gap["ours"])
                counts[said] = counts.get(said, 0) + way.count
    ordered = sorted(counts.items(), key=lambda item: (-item[1], item[0]))
    return [(name, ours, count) for (name, ours), count in ordered]
