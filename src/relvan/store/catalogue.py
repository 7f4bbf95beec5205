"""Queries over products: one by its code, and pages of them for the catalogue."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import BindParameter, ColumnElement, and_, bindparam, exists, func, or_, select
from sqlalchemy.orm import Session

from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.product import ProductKind
from relvan.core.refusal import not_found
from relvan.store import search
from relvan.store.counting import MOST_COUNTED, Count, count_up_to
from relvan.store.rows import rows_as
from relvan.store.tables import (
    AuditEntry,
    Balance,
    Bin,
    BinBalance,
    Channel,
    KitPart,
    Listing,
    ListPrice,
    Movement,
    Order,
    OrderLine,
    Person,
    Picture,
    PriceList,
    Product,
    ProductPicture,
    SkuName,
    Warehouse,
)


@dataclass(frozen=True)
class ProductFilter:
    """Which products a page shows."""

    words: str = ""
    category: str = ""
    kind: str = ""
    on: str = ""
    not_on: str = ""
    in_stock: bool | None = None
    lacking: bool = False
    blocked: bool = False
    floored: bool = False
    archived: bool = False


@dataclass
class ProductRow:
    """One product in a list; `price` in minor units, `free` in units, `states` by channel key."""

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
    picture: str = ""
    price: int | None = None
    free: int = 0
    on_hand: int = 0
    states: dict[str, str] = field(default_factory=dict)


def product_by_id(session: Session, product_id: int) -> Product:
    """A product that is known to be there."""
    return session.get_one(Product, product_id)


def find_product(session: Session, sku: str) -> Product:
    """A product by its SKU or an alias, without regard to case."""
    product = session.scalar(
        select(Product).join(SkuName, SkuName.product_id == Product.id).where(SkuName.key == sku_key(sku))
    )
    if product is None:
        raise not_found("product", sku)
    return product


def products_by_code(session: Session, codes: Sequence[str]) -> dict[str, tuple[int, str, str]]:
    """(id, kind, tax code) of what may be sold, by the key of its SKU or alias."""
    rows = session.execute(
        select(SkuName.key, Product.id, Product.kind, Product.tax_code)
        .join(Product, Product.id == SkuName.product_id)
        .where(SkuName.key.in_({sku_key(code) for code in codes}), Product.kind != ProductKind.FAMILY)
    )
    return {key: (product_id, kind, tax_code) for key, product_id, kind, tax_code in rows}


def sku_of(session: Session, code: str) -> str:
    """A SKU or alias as it was typed when it was made."""
    return session.scalars(select(SkuName.sku).where(SkuName.key == sku_key(code))).one()


def skus_of(session: Session, product_ids: Collection[int]) -> dict[int, str]:
    """SKUs by id."""
    return dict(session.execute(select(Product.id, Product.sku).where(Product.id.in_(product_ids))).all())


def titles_of(session: Session, product_ids: Collection[int]) -> dict[int, tuple[str, str]]:
    """(SKU, title) by id."""
    rows = session.execute(select(Product.id, Product.sku, Product.title).where(Product.id.in_(product_ids))).all()
    return {product_id: (sku, title) for product_id, sku, title in rows}


def kinds_of(session: Session, product_ids: Collection[int]) -> dict[int, tuple[str, bool]]:
    """(kind, whether its parts may travel apart) by id."""
    statement = select(Product.id, Product.kind, Product.parts_apart).where(Product.id.in_(product_ids))
    return {product_id: (kind, apart) for product_id, kind, apart in session.execute(statement).all()}


def holds_stock(session: Session, product_ids: Collection[int]) -> set[int]:
    """Those of the products that lie somewhere or are promised."""
    lies = or_(Balance.on_hand > 0, Balance.reserved > 0, Balance.blocked > 0)
    return set(session.scalars(select(Balance.product_id).where(Balance.product_id.in_(product_ids), lies)).all())


def product_uses(session: Session, product_id: int) -> str:
    """Where a product is still in use, in words; "" when nowhere."""
    placed = session.scalars(
        select(Channel.name)
        .join(Listing, Listing.channel_id == Channel.id)
        .where(Listing.product_id == product_id, Listing.placed.is_(True), Listing.shown.is_(True))
    ).all()
    orders = session.scalars(
        select(Order.number)
        .join(OrderLine, OrderLine.order_id == Order.id)
        .where(
            OrderLine.product_id == product_id,
            OrderLine.shipped < OrderLine.quantity,
            Order.tray.in_(("inbox", "floor", "short")),
        )
        .limit(3)
    ).all()
    kits = session.scalars(
        select(Product.sku)
        .join(KitPart, KitPart.kit_id == Product.id)
        .where(KitPart.part_id == product_id, Product.archived_at.is_(None))
        .limit(3)
    ).all()
    variants = session.scalars(
        select(Product.sku).where(Product.family_id == product_id, Product.archived_at.is_(None)).limit(3)
    ).all()
    parts = [f"listed on {', '.join(placed)}"] if placed else []
    parts += [f"a part of {', '.join(kits)}"] if kits else []
    parts += [f"the family of {', '.join(variants)}"] if variants else []
    if orders:
        parts.append(f"ordered in {', '.join(orders)}")
    return "; ".join(parts)


def _conditions(session: Session, wanted: ProductFilter) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = [
        Product.archived_at.is_not(None) if wanted.archived else Product.archived_at.is_(None)
    ]
    if wanted.words and (found_by := search.look_for(session, wanted.words)):
        found.append(found_by.condition(Product.__table__.c.id))
    if wanted.category:
        found.append(Product.category == wanted.category)
    if wanted.lacking:
        found.append(Product.lacking > 0)
    if wanted.blocked:
        found.append(Product.id.in_(select(Balance.product_id).where(Balance.blocked > 0)))
    if wanted.floored:
        found.append(Product.id.in_(select(Listing.product_id).where(Listing.floored.is_(True))))
    if wanted.kind:
        found.append(Product.kind == wanted.kind)
    if wanted.on:
        found.append(_listed_on(wanted.on))
    if wanted.not_on:
        found.append(~_listed_on(wanted.not_on))
    if wanted.in_stock is not None:
        free = Balance.on_hand - Balance.reserved - Balance.blocked - Balance.safety
        has_stock = exists().where(Balance.product_id == Product.id, free > 0)
        found.append(has_stock if wanted.in_stock else ~has_stock)
    return found


def _listed_on(channel: str) -> ColumnElement[bool]:
    channel_id = select(Channel.id).where(Channel.key == channel).scalar_subquery()
    return exists().where(Listing.product_id == Product.id, Listing.channel_id == channel_id)


def product_page(
    session: Session, wanted: ProductFilter, *, after: str = "", limit: int = 50, price_list: str = ""
) -> list[ProductRow]:
    """Products in the order of their SKUs, after one of them; five queries whatever the number of rows."""
    statement = (
        select(
            Product.id, Product.sku, Product.title, Product.kind, Product.category, Product.brand,
            func.coalesce(Product.gtin, ""), Product.weight_g, Product.cost, Product.archived_at, Product.lacking,
            Product.changed_at,
        )
        .where(*_conditions(session, wanted), Product.sku_key > after)
        .order_by(Product.sku_key)
        .limit(limit)
    )  # fmt: skip
    rows = rows_as(ProductRow, session, statement)
    _fill(session, rows, price_list)
    return rows


# Written once: building a query with fifty values in it takes longer than running it.
_IDS: BindParameter[Any] = bindparam("ids", expanding=True)
_PICTURES = (
    select(ProductPicture.product_id, ProductPicture.sha)
    .where(ProductPicture.product_id.in_(_IDS))
    .order_by(ProductPicture.position.desc())
)
_PRICES = (
    select(ListPrice.product_id, ListPrice.amount)
    .join(PriceList, PriceList.id == ListPrice.price_list_id)
    .where(ListPrice.product_id.in_(_IDS))
    .order_by(PriceList.id.desc())
)
_BALANCES = select(
    Balance.product_id, Balance.on_hand, Balance.on_hand - Balance.reserved - Balance.blocked - Balance.safety
).where(Balance.product_id.in_(_IDS))
_STATES = (
    select(Listing.product_id, Channel.key, Listing.state)
    .join(Channel, Channel.id == Listing.channel_id)
    .where(Listing.product_id.in_(_IDS))
)


def _fill(session: Session, rows: list[ProductRow], price_list: str) -> None:
    by_id = {row.id: row for row in rows}
    ids = {"ids": list(by_id)}
    for product_id, sha in session.execute(_PICTURES, ids):
        by_id[product_id].picture = sha
    prices = _PRICES.where(PriceList.key == price_list) if price_list else _PRICES
    for product_id, amount in session.execute(prices, ids):
        by_id[product_id].price = amount
    for product_id, on_hand, free_here in session.execute(_BALANCES, ids):
        by_id[product_id].free += max(0, free_here)
        by_id[product_id].on_hand += on_hand
    for product_id, key, state in session.execute(_STATES, ids):
        by_id[product_id].states[key] = state


def count_products(session: Session, wanted: ProductFilter) -> Count:
    """How many there are, counted up to 10,000; of those that words find, up to 2,000."""
    found_by = search.look_for(session, wanted.words)
    most = search.BROAD if found_by and found_by.broad else MOST_COUNTED
    return count_up_to(session, select(Product.id).where(*_conditions(session, wanted)), wanted, most)


def categories(session: Session) -> list[str]:
    """The seller's categories in use."""
    statement = select(Product.category).where(Product.category != "").distinct().order_by(Product.category)
    return list(session.scalars(statement))


def all_skus(session: Session, wanted: ProductFilter, most: int = 100_000) -> list[str]:
    """Every SKU that a filter matches, in order."""
    statement = select(Product.sku).where(*_conditions(session, wanted)).order_by(Product.sku_key)
    return list(session.scalars(statement.limit(most)).all())


@dataclass(frozen=True)
class PictureRow:
    """A picture of a product; sides in pixels."""

    sha: str
    width: int
    height: int


def product_pictures(session: Session, product_id: int) -> list[PictureRow]:
    """A product's pictures in order."""
    rows = session.execute(
        select(Picture.sha, Picture.width, Picture.height)
        .join(ProductPicture, ProductPicture.sha == Picture.sha)
        .where(ProductPicture.product_id == product_id)
        .order_by(ProductPicture.position)
    )
    return [PictureRow(*row) for row in rows]


@dataclass(frozen=True)
class BinRow:
    """What lies in one bin of a product."""

    warehouse: str
    bin: str
    on_hand: int
    blocked: int


def product_bins(session: Session, product_id: int) -> list[BinRow]:
    """Where a product lies."""
    rows = session.execute(
        select(Warehouse.name, Bin.code, BinBalance.on_hand, BinBalance.blocked)
        .join(Bin, Bin.id == BinBalance.bin_id)
        .join(Warehouse, Warehouse.id == Bin.warehouse_id)
        .where(BinBalance.product_id == product_id)
        .order_by(Warehouse.id, Bin.walk)
    )
    return [BinRow(*row) for row in rows]


@dataclass(frozen=True)
class HistoryRow:
    """One entry of the audit trail."""

    at: datetime
    who: str
    via: str
    deed: str
    changes: dict[str, Any]


def history(session: Session, kind: str, subject_id: int, limit: int = 60) -> list[HistoryRow]:
    """What was done to a thing, newest first."""
    rows = session.execute(
        select(AuditEntry.at, func.coalesce(Person.name, "Relvan"), AuditEntry.via, AuditEntry.deed, AuditEntry.changes)
        .outerjoin(Person, Person.id == AuditEntry.person_id)
        .where(and_(AuditEntry.subject_kind == kind, AuditEntry.subject_id == subject_id))
        .order_by(AuditEntry.id.desc())
        .limit(limit)
    )
    return [HistoryRow(*row) for row in rows]


@dataclass(frozen=True)
class MovementRow:
    """One entry of the ledger."""

    at: datetime
    sku: str
    warehouse: str
    bin: str
    reason: str
    on_hand: int
    blocked: int
    note: str
    who: str


def movements(session: Session, product_id: int | None = None, limit: int = 40) -> list[MovementRow]:
    """The ledger, newest first."""
    statement = (
        select(
            Movement.at, Product.sku, Warehouse.name, Bin.code, Movement.reason, Movement.on_hand, Movement.blocked,
            Movement.note, func.coalesce(Person.name, "Relvan"),
        )
        .join(Product, Product.id == Movement.product_id)
        .join(Warehouse, Warehouse.id == Movement.warehouse_id)
        .join(Bin, Bin.id == Movement.bin_id)
        .outerjoin(Person, Person.id == Movement.person_id)
        .order_by(Movement.id.desc())
        .limit(limit)
    )  # fmt: skip
    if product_id is not None:
        statement = statement.where(Movement.product_id == product_id)
    return [MovementRow(*row) for row in session.execute(statement)]
