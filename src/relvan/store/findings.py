"""Queries over listings that were found on channels: those that are linked to a product, and the
unlinked ones.
"""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Select, func, select
from sqlalchemy.orm import Session

from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.counting import Count, count_up_to
from relvan.store.rows import rows_as
from relvan.store.tables import Channel, Finding, Listing, Product, SkuName


@dataclass(frozen=True)
class FindingFilter:
    """Says which found listings a page shows: of a channel, linked or unlinked, with a likely
    product or without.
    """

    channel: str = ""
    linked: bool | None = False
    words: str = ""
    sure: bool | None = None


@dataclass(frozen=True)
class FindingRow:
    """One found listing in a list, with the likeliest product or the one it is linked to. The price
    is in minor units.
    """

    id: int
    channel: str
    channel_key: str
    currency: str
    ref: str
    head: str
    sku: str
    gtin: str
    title: str
    brand: str
    price: int
    quantity: int
    live: bool
    centre: bool
    page: str
    likeness: int
    reasons: list[str]
    product_sku: str | None
    product_title: str | None
    listing_id: int | None
    linked_by: str
    read_at: datetime
    address: str


def finding_by_id(session: Session, finding_id: int) -> Finding:
    """Returns the found listing with an id."""
    found = session.get(Finding, finding_id)
    if found is None:
        raise not_found("finding", finding_id)
    return found


def _finding_rows() -> Select[*tuple[Any, ...]]:
    return (
        select(
            Finding.id,
            Channel.name,
            Channel.key,
            Channel.currency,
            Finding.ref,
            Finding.head,
            Finding.sku,
            Finding.gtin,
            Finding.title,
            Finding.brand,
            Finding.price,
            Finding.quantity,
            Finding.live,
            Finding.centre,
            Finding.page,
            Finding.likeness,
            Finding.reasons,
            Product.sku,
            Product.title,
            Finding.listing_id,
            Finding.linked_by,
            Finding.read_at,
            Channel.address,
        )
        .join(Channel, Channel.id == Finding.channel_id)
        .outerjoin(Product, Product.id == Finding.product_id)
    )


def _conditions(wanted: FindingFilter) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = []
    if wanted.channel:
        found.append(
            Finding.channel_id
            == select(Channel.id).where(Channel.key == wanted.channel).scalar_subquery()
        )
    if wanted.linked is not None:
        found.append(
            Finding.listing_id.is_not(None) if wanted.linked else Finding.listing_id.is_(None)
        )
    if wanted.sure is not None:
        found.append(Finding.likeness >= 90 if wanted.sure else Finding.likeness < 90)
    if wanted.words:
        like = f"%{wanted.words.casefold()}%"
        found.append(func.lower(Finding.title).like(like) | func.lower(Finding.sku).like(like))
    return found


def finding_page(
    session: Session, wanted: FindingFilter, *, after: int = 0, limit: int = 50
) -> list[FindingRow]:
    """Returns found listings in the order in which they were first read."""
    statement = (
        _finding_rows()
        .where(*_conditions(wanted), Finding.id > after)
        .order_by(Finding.id)
        .limit(limit)
    )
    return rows_as(FindingRow, session, statement)


def count_findings(session: Session, wanted: FindingFilter) -> Count:
    """Returns how many found listings a filter matches."""
    return count_up_to(session, select(Finding.id).where(*_conditions(wanted)), wanted)


def known_refs(session: Session, channel_id: int, refs: Collection[str]) -> dict[str, Finding]:
    """Returns the found listings of a channel by the channel's references."""
    statement = select(Finding).where(Finding.channel_id == channel_id, among(Finding.ref, refs))
    return {found.ref: found for found in session.scalars(statement)}


def members_found(session: Session, channel_id: int, head: str) -> list[Finding]:
    """Returns the unlinked listings that stand on a family's page of a channel."""
    statement = select(Finding).where(
        Finding.channel_id == channel_id, Finding.head == head, Finding.listing_id.is_(None)
    )
    return list(session.scalars(statement.order_by(Finding.id)))


def linked_to(session: Session, listing_ids: Collection[int]) -> list[Finding]:
    """Returns the found listings that are linked to some listings of ours."""
    return list(
        session.scalars(
            select(Finding).where(among(Finding.listing_id, listing_ids)).order_by(Finding.id)
        )
    )


def ours_by_ref(session: Session, channel_id: int, refs: Collection[str]) -> dict[str, int]:
    """Returns our listings that are on a channel, by the channel's references."""
    statement = select(Listing.ref, Listing.id).where(
        Listing.channel_id == channel_id, among(Listing.ref, refs), Listing.placed.is_(True)
    )
    return dict(map(tuple, session.execute(statement).all()))  # type: ignore[arg-type]


def placed_products(session: Session, channel_id: int, product_ids: Collection[int]) -> set[int]:
    """Returns which of some products are on a channel already."""
    statement = select(Listing.product_id).where(
        Listing.channel_id == channel_id,
        among(Listing.product_id, product_ids),
        Listing.placed.is_(True),
    )
    return set(session.scalars(statement))


@dataclass(frozen=True)
class ProductHint:
    """The details of a product by which it is compared with a found listing."""

    id: int
    sku: str
    kind: str
    title: str
    brand: str
    gtin: str
    family_id: int | None = None


def _hints() -> Select[*tuple[Any, ...]]:
    return select(
        Product.id,
        Product.sku,
        Product.kind,
        Product.title,
        Product.brand,
        func.coalesce(Product.gtin, ""),
        Product.family_id,
    )


def products_by_sku(session: Session, keys: Collection[str]) -> dict[str, ProductHint]:
    """Returns products outside the archive, by the keys of their SKUs and aliases."""
    statement = _hints().add_columns(SkuName.key).join(SkuName, SkuName.product_id == Product.id)
    rows = session.execute(
        statement.where(among(SkuName.key, keys), Product.archived_at.is_(None))
    ).all()
    return {row[-1]: ProductHint(*row[:-1]) for row in rows}


def products_by_gtin(session: Session, keys: Collection[str]) -> dict[str, list[ProductHint]]:
    """Returns products by the keys of their GTINs."""
    statement = _hints().add_columns(Product.gtin_key)
    rows = session.execute(
        statement.where(among(Product.gtin_key, keys), Product.archived_at.is_(None))
    ).all()
    found: dict[str, list[ProductHint]] = {}
    for row in rows:
        found.setdefault(row[-1], []).append(ProductHint(*row[:-1]))
    return found


def hints_of(session: Session, product_ids: Collection[int]) -> list[ProductHint]:
    """Returns the details for comparison by the product's id."""
    return rows_as(
        ProductHint,
        session,
        _hints().where(among(Product.id, product_ids), Product.archived_at.is_(None)),
    )


def find_listing(session: Session, channel_id: int, product_id: int, alias: str) -> Listing | None:
    """Returns the listing of a product, or of an alias of it, on a channel, or None."""
    place = (
        Listing.channel_id == channel_id,
        Listing.product_id == product_id,
        Listing.alias == alias,
    )
    return session.scalar(select(Listing).where(*place))


def head_on_channel(
    session: Session, channel_id: int, ref: str, family_id: int | None
) -> int | None:
    """Returns the listing of a family's page by the channel's reference, if the page is that
    family's.
    """
    head = (Listing.channel_id == channel_id, Listing.ref == ref, Listing.product_id == family_id)
    return session.scalar(select(Listing.id).where(*head))


def linked_on_page(
    session: Session, channel_id: int, head: str
) -> list[tuple[Listing, int | None]]:
    """Returns (listing, family of its product) of the linked listings on a family's page of a
    channel.
    """
    rows = session.execute(
        select(Listing, Product.family_id)
        .join(Finding, Finding.listing_id == Listing.id)
        .join(Product, Product.id == Listing.product_id)
        .where(Finding.channel_id == channel_id, Finding.head == head)
    ).all()
    return [(listing, family_id) for listing, family_id in rows]
