"""Reads pages of products for the catalogue and for every other list of products."""

from collections.abc import Collection, Iterator
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import orjson
from sqlalchemy import (
    ColumnElement,
    Integer,
    Select,
    Text,
    and_,
    bindparam,
    cast,
    exists,
    false,
    func,
    or_,
    select,
)
from sqlalchemy.orm import Session, aliased

from relvan.core.catalogue.attributes import SEPARATOR
from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.product import STOCKED, ProductKind
from relvan.store import search
from relvan.store.among import among_found
from relvan.store.counting import MOST_COUNTED, Count, count_up_to
from relvan.store.floors import shown_below, sold_below
from relvan.store.holdings import load_holdings
from relvan.store.listing_list import ListingFilter, conditions_named_by
from relvan.store.portable import greater_of, json_items
from relvan.store.rows import rows_as
from relvan.store.sorting import Sorting, sort_page
from relvan.store.stock import has_free_stock
from relvan.store.tables import (
    Balance,
    Channel,
    Listing,
    ListPrice,
    PriceList,
    Product,
    ProductPicture,
    SkuName,
)

_family = aliased(Product)


# what may be said of the prices of a product's listings
PRICED = {
    "loss": Listing.margin < 0,
    "below": shown_below(),
    "sale": Listing.regular.is_not(None),
}


@dataclass(frozen=True)
class ProductFilter:
    """Says which products a page shows."""

    words: str = ""
    category: str = ""
    kind: str = ""
    family: str = ""
    on: str = ""
    not_on: str = ""
    in_stock: bool | None = None
    lacking: bool = False
    blocked: bool = False
    floored: bool = False
    priced: str = ""  # at a loss, shown below its floor, on sale
    sold_below_since: datetime | None = None
    archived: bool = False
    stocked: bool = False
    gap_on: str = ""  # with a listing on this channel that has a gap of this kind
    gap_kind: str = ""
    drafts_of: int | None = None  # with a listing that this bulk job drafted


@dataclass
class ProductRow:
    """One product in a list; `price` is in minor units, `free` in units, `states` by channel key."""

    id: int
    sku: str
    title: str
    kind: str
    category: str
    brand: str
    gtin: str
    weight_g: int | None
    cost: int | None
    archived_at: datetime | None
    lacking: int
    changed_at: datetime
    asked: int
    family_id: int | None
    picture: str = ""
    price: int | None = None
    free: int = 0
    on_hand: int = 0
    states: dict[str, str] = field(default_factory=dict)


def _conditions(session: Session, wanted: ProductFilter) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = [
        Product.archived_at.is_not(None) if wanted.archived else Product.archived_at.is_(None)
    ]
    if wanted.words and (found_by := search.look_for(session, wanted.words)):
        found.append(found_by.condition(Product.__table__.c.id))
    return [*found, *_of_themselves(wanted), *_of_stock(wanted), *_of_listings(session, wanted)]


def _of_themselves(wanted: ProductFilter) -> Iterator[ColumnElement[bool]]:
    if wanted.category:
        below = f"{wanted.category}{SEPARATOR}"

        def inside(column: Any) -> ColumnElement[bool]:
            return or_(column == wanted.category, column.between(below, f"{below}\uffff"))

        heads = select(_family.id).where(
            _family.kind == ProductKind.FAMILY, inside(_family.category)
        )
        lent = and_(Product.category == "", Product.family_id.in_(heads))
        yield or_(inside(Product.category), lent)
    if wanted.family:
        head = (
            select(SkuName.product_id)
            .where(SkuName.key == sku_key(wanted.family))
            .scalar_subquery()
        )
        yield Product.family_id == head
    if wanted.lacking:
        yield Product.lacking > 0
    if wanted.kind:
        yield Product.kind == wanted.kind
    if wanted.stocked:
        # a text of it, so that SQLite does not sort all of them by the index of kinds
        yield (Product.kind + "").in_(STOCKED)


def _of_stock(wanted: ProductFilter) -> Iterator[ColumnElement[bool]]:
    if wanted.blocked:
        yield Product.id.in_(select(Balance.product_id).where(Balance.blocked > 0))
    if wanted.in_stock is not None:
        yield has_free_stock(Product.id, wanted=wanted.in_stock)


def _of_listings(session: Session, wanted: ProductFilter) -> Iterator[ColumnElement[bool]]:
    gapped = bool(wanted.gap_on or wanted.gap_kind or wanted.drafts_of is not None)
    if wanted.not_on and wanted.not_on in (wanted.on, wanted.gap_on):
        yield false()
    if wanted.priced in PRICED:
        yield Product.id.in_(select(Listing.product_id).where(PRICED[wanted.priced]))
    if wanted.sold_below_since:
        yield Product.id.in_(sold_below(wanted.sold_below_since))
    if wanted.floored:
        yield Product.id.in_(select(Listing.product_id).where(Listing.floored.is_(True)))
    if wanted.on:
        yield _listed_on(wanted.on)
    if wanted.not_on:
        yield ~_listed_on(wanted.not_on)
    if gapped and wanted.archived:  # gaps are counted of products outside the archive
        yield false()
    elif gapped:
        listings = ListingFilter(
            channel=wanted.gap_on, gap_kind=wanted.gap_kind, drafts_of=wanted.drafts_of
        )
        found = select(Listing.product_id).where(*conditions_named_by(session, listings))
        yield among_found(session, Product.id, found)


def _listed_on(channel: str) -> ColumnElement[bool]:
    channel_id = select(Channel.id).where(Channel.key == channel).scalar_subquery()
    return exists().where(Listing.product_id == Product.id, Listing.channel_id == channel_id)


_on_hand = select(func.coalesce(func.sum(Balance.on_hand), 0)).where(
    Balance.product_id == Product.id
)
SORTING = Sorting(
    {
        "sku": Product.sku_key,
        "title": Product.title,
        "kind": Product.kind,
        "category": Product.category,
        "brand": Product.brand,
        "gtin": func.coalesce(Product.gtin, ""),
        "weight": func.coalesce(Product.weight_g, 0),
        "cost": func.coalesce(Product.cost, 0),
        "facts": Product.lacking,
        "changed": Product.changed_at,
        "on_hand": _on_hand.correlate(Product).scalar_subquery(),
    },
    key=Product.sku_key,
)


def product_page(
    session: Session,
    wanted: ProductFilter,
    *,
    after: str = "",
    limit: int = 50,
    price_list: str = "",
    sort: str = "",
) -> list[ProductRow]:
    """Returns products in the order of their SKUs or sorted by a column of `SORTING`, starting
    after one of them; five queries whatever the number of rows, and one more to continue by another
    column than the SKU.
    """
    statement = _product_columns().where(*_conditions(session, wanted))
    rows = rows_as(ProductRow, session, sort_page(session, statement, SORTING, sort, after, limit))
    _fill(session, rows, price_list)
    return rows


def rows_by_id(session: Session, product_ids: Collection[int]) -> list[ProductRow]:
    """Returns products by their ids, in the order of their SKUs."""
    if not product_ids:
        return []
    rows = rows_as(
        ProductRow,
        session,
        _product_columns().where(Product.id.in_(product_ids)).order_by(Product.sku_key),
    )
    _fill(session, rows, "")
    return rows


def rows_by_sku_start(session: Session, start: str, limit: int) -> list[ProductRow]:
    """Returns products outside the archive whose SKU or alias begins with some text, in the order
    of the codes.
    """
    key = sku_key(start)
    statement = (
        select(Product.id)
        .join(SkuName, SkuName.product_id == Product.id)
        .where(SkuName.key.between(key, f"{key}\uffff"), Product.archived_at.is_(None))
        .order_by(SkuName.key)
        .limit(limit)
    )
    return rows_by_id(session, list(dict.fromkeys(session.scalars(statement))))


def _product_columns() -> Select[*tuple[Any, ...]]:
    """Returns the columns of a `ProductRow` that are in the product's own table."""
    return select(
        Product.id,
        Product.sku,
        Product.title,
        Product.kind,
        Product.category,
        Product.brand,
        func.coalesce(Product.gtin, ""),
        Product.weight_g,
        Product.cost,
        Product.archived_at,
        Product.lacking,
        Product.changed_at,
        Product.asked,
        Product.family_id,
    )


# Written once, with the ids as one parameter: building a query with fifty values takes longer than
# running it.
_IDS = select(cast(json_items(bindparam("ids", type_=Text)).table_valued("value").c.value, Integer))
_HEADS = select(Product.id, Product.category, Product.brand, Product.weight_g).where(
    Product.id.in_(_IDS)
)
_PICTURES = (
    select(ProductPicture.product_id, ProductPicture.sha)
    .where(ProductPicture.product_id.in_(_IDS), ProductPicture.role == "shown")
    .order_by(ProductPicture.position.desc())
)
_PRICES = (
    select(ListPrice.product_id, ListPrice.amount)
    .join(PriceList, PriceList.id == ListPrice.price_list_id)
    .where(ListPrice.product_id.in_(_IDS))
    .order_by(PriceList.id.desc())
)
_BALANCES = select(
    Balance.product_id,
    Balance.on_hand,
    Balance.on_hand - Balance.reserved - Balance.blocked - Balance.safety,
).where(Balance.product_id.in_(_IDS))
# what is free of the variants of a family together
_BELOW = (
    select(
        Product.family_id,
        func.sum(
            greater_of(0, Balance.on_hand - Balance.reserved - Balance.blocked - Balance.safety)
        ),
    )
    .join(Balance, Balance.product_id == Product.id)
    .where(
        Product.family_id.is_not(None), Product.family_id.in_(_IDS), Product.archived_at.is_(None)
    )
    .group_by(Product.family_id)
)
_STATES = (
    select(Listing.product_id, Channel.key, Listing.state)
    .join(Channel, Channel.id == Listing.channel_id)
    .where(Listing.product_id.in_(_IDS))
)


def _about(
    session: Session, statement: Select[*tuple[Any, ...]], ids: Collection[int]
) -> list[Any]:
    """Returns the rows of one of these queries without the object layer, which would add a third to
    the time of a page.
    """
    return list(session.connection().execute(statement, {"ids": orjson.dumps(list(ids)).decode()}))


def _fill(session: Session, rows: list[ProductRow], price_list: str) -> None:
    by_id = {row.id: row for row in rows}
    heads = {row.family_id for row in rows if row.family_id is not None}
    pictures = dict(map(tuple, _about(session, _PICTURES, [*by_id, *heads])))
    prices = _PRICES.where(PriceList.key == price_list) if price_list else _PRICES
    amounts = dict(map(tuple, _about(session, prices, [*by_id, *heads])))
    lent = {row[0]: row[1:] for row in _about(session, _HEADS, heads)} if heads else {}
    for row in rows:  # what a variant does not say, its family does
        if row.family_id is not None:
            category, brand, weight_g = lent[row.family_id]
            row.category, row.brand = row.category or category, row.brand or brand
            row.weight_g = row.weight_g or weight_g
        row.picture = pictures.get(row.id) or pictures.get(row.family_id or 0, "")
        row.price = amounts.get(row.id, amounts.get(row.family_id or 0))
    for product_id, on_hand, free_here in _about(session, _BALANCES, by_id):
        by_id[product_id].free += max(0, free_here)
        by_id[product_id].on_hand += on_hand
    for product_id, key, state in _about(session, _STATES, by_id):
        by_id[product_id].states[key] = state
    families = [row.id for row in rows if row.kind == ProductKind.FAMILY]
    for family_id, free_below in _about(session, _BELOW, families) if families else ():
        by_id[family_id].free = free_below
    kits = [row.id for row in rows if row.kind == ProductKind.KIT]
    if kits:
        holdings = load_holdings(session, kits)
        for kit in kits:
            by_id[kit].free = holdings.free(kit)


def count_products(session: Session, wanted: ProductFilter) -> Count:
    """Returns how many products a filter finds, counted up to 10,000, or up to 2,000 when it has
    search words.
    """
    found_by = search.look_for(session, wanted.words)
    most = search.BROAD if found_by and found_by.broad else MOST_COUNTED
    return count_up_to(
        session, select(Product.id).where(*_conditions(session, wanted)), wanted, most
    )


def all_skus(session: Session, wanted: ProductFilter, most: int | None = None) -> list[str]:
    """Returns every SKU that a filter matches, in order, or only the first `most` of them."""
    statement = select(Product.sku).where(*_conditions(session, wanted)).order_by(Product.sku_key)
    return list(session.scalars(statement.limit(most)).all())
