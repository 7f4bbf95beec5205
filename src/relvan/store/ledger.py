"""Queries over the ledger, the bins, and the value of the stock."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import ColumnElement, case, func, select
from sqlalchemy.orm import Session, aliased

from relvan.store import search
from relvan.store.counting import remembered
from relvan.store.goods_places import picked_from_bin
from relvan.store.portable import greater_of
from relvan.store.rows import rows_as
from relvan.store.tables import Balance, Bin, BinBalance, Movement, Person, Product, Warehouse


@dataclass(frozen=True)
class LedgerFilter:
    """Says which movements a page shows: by words of the product or its id, a reason, a warehouse
    (key), or since a time.
    """

    words: str = ""
    reason: str = ""
    warehouse: str = ""
    since: datetime | None = None
    product_id: int | None = None


@dataclass(frozen=True)
class LedgerRow:
    """One movement."""

    id: int
    at: datetime
    sku: str
    warehouse: str
    bin: str
    reason: str
    on_hand: int
    blocked: int
    note: str
    who: str


def ledger_page(
    session: Session, wanted: LedgerFilter, *, before: int | None = None, limit: int = 100
) -> list[LedgerRow]:
    """Returns the ledger, the newest entry first, from one of its entries on; one query."""
    conditions: list[ColumnElement[bool]] = []
    if wanted.words and (found_by := search.look_for(session, wanted.words)):
        conditions.append(found_by.condition(Movement.__table__.c.product_id))
    if wanted.reason:
        conditions.append(Movement.reason == wanted.reason)
    if wanted.warehouse:
        conditions.append(Warehouse.key == wanted.warehouse)
    if wanted.product_id is not None:
        conditions.append(Movement.product_id == wanted.product_id)
    if wanted.since is not None:
        conditions.append(Movement.at >= wanted.since)
    if before is not None:
        conditions.append(Movement.id < before)
    statement = (
        select(
            Movement.id,
            Movement.at,
            Product.sku,
            Warehouse.name,
            Bin.code,
            Movement.reason,
            Movement.on_hand,
            Movement.blocked,
            Movement.note,
            func.coalesce(Person.name, "Relvan"),
        )
        .join(Product, Product.id == Movement.product_id)
        .join(Warehouse, Warehouse.id == Movement.warehouse_id)
        .join(Bin, Bin.id == Movement.bin_id)
        .outerjoin(Person, Person.id == Movement.person_id)
        .where(*conditions)
        .order_by(Movement.id.desc())
        .limit(limit)
    )
    return rows_as(LedgerRow, session, statement)


@dataclass(frozen=True)
class BinStock:
    """One product in one bin; `gtin` is there for the scanner. Units that were `picked` and have not
    left yet are on hand, but do not lie there any more.
    """

    bin: str
    walk: int
    product_id: int
    sku: str
    title: str
    gtin: str
    on_hand: int
    blocked: int
    picked: int

    @property
    def lies(self) -> int:
        """The units that lie in the bin."""
        return self.on_hand - self.picked


def bins_page(
    session: Session,
    warehouse_id: int,
    *,
    code: str = "",
    after: tuple[int, str] | None = None,
    limit: int = 100,
) -> list[BinStock]:
    """Returns what lies in the bins of a warehouse in the order of the way through it: in one bin,
    or from a place (position on the way, SKU's key) on.
    """
    statement = (
        select(
            Bin.code,
            Bin.walk,
            Product.id,
            Product.sku,
            Product.title,
            func.coalesce(Product.gtin, ""),
            BinBalance.on_hand,
            BinBalance.blocked,
            picked_from_bin(),
        )
        .join(BinBalance, BinBalance.bin_id == Bin.id)
        .join(Product, Product.id == BinBalance.product_id)
        .where(Bin.warehouse_id == warehouse_id)
        .order_by(Bin.walk, Product.sku_key)
        .limit(limit)
    )
    if code:
        statement = statement.where(func.upper(Bin.code) == code.upper())
    else:
        statement = statement.where(BinBalance.on_hand > 0)
    if after is not None:
        walk, key = after
        statement = statement.where(
            (Bin.walk > walk) | ((Bin.walk == walk) & (Product.sku_key > key))
        )
    return rows_as(BinStock, session, statement)


@dataclass(frozen=True)
class WarehouseValue:
    """The value of the stock of a warehouse at cost, in minor units of the seller's currency, and
    how many units have no known cost.
    """

    warehouse: str
    products: int
    units: int
    value: int
    without_cost: int


def values_at_cost(session: Session) -> list[WarehouseValue]:
    """Returns the value of the stock at cost, by warehouse; one query. A variant without a cost has
    its family's.
    """
    return remembered(session, Product, "stock at cost", lambda: _values_at_cost(session))


def _values_at_cost(session: Session) -> list[WarehouseValue]:
    family = aliased(Product)
    cost = func.coalesce(Product.cost, family.cost)
    statement = (
        select(
            Warehouse.name,
            func.count(),
            func.sum(Balance.on_hand),
            func.sum(Balance.on_hand * func.coalesce(cost, 0)),
            func.sum(case((cost.is_(None), Balance.on_hand), else_=0)),
        )
        .join(Balance, Balance.warehouse_id == Warehouse.id)
        .join(Product, Product.id == Balance.product_id)
        .outerjoin(family, family.id == Product.family_id)
        .where(Balance.on_hand > 0)
        .group_by(Warehouse.id)
        .order_by(Warehouse.id)
    )
    return rows_as(WarehouseValue, session, statement)


@dataclass(frozen=True)
class StillRow:
    """A product of which nothing has left for long: units on hand over all warehouses, their value,
    and when a unit last left.
    """

    sku: str
    title: str
    units: int
    value: int
    last_left: datetime | None


def still_rows(session: Session, since: datetime, *, limit: int = 50) -> list[StillRow]:
    """Returns the stock of which nothing has left since a time, the most valuable first."""
    name = f"{limit} still since {since:%Y-%m-%d}"
    return remembered(session, Product, name, lambda: _still_rows(session, since, limit))


def _still_rows(session: Session, since: datetime, limit: int) -> list[StillRow]:
    out = (
        select(Movement.product_id, func.max(Movement.at).label("at"))
        .where(Movement.reason == "dispatch")
        .group_by(Movement.product_id)
        .subquery()
    )
    came = (
        select(Movement.product_id, func.min(Movement.at).label("at"))
        .where(Movement.on_hand > 0)
        .group_by(Movement.product_id)
        .subquery()
    )
    units = func.sum(Balance.on_hand)
    value = func.sum(Balance.on_hand * func.coalesce(Product.cost, 0))
    statement = (
        select(Product.sku, Product.title, units, value, out.c.at)
        .join(Balance, Balance.product_id == Product.id)
        .join(came, came.c.product_id == Product.id)
        .outerjoin(out, out.c.product_id == Product.id)
        .where(Balance.on_hand > 0, came.c.at < since, func.coalesce(out.c.at, "") < since)
        .group_by(Product.id, out.c.at)
        .order_by(value.desc(), Product.sku_key)
        .limit(limit)
    )
    return rows_as(StillRow, session, statement)


def selling_free(session: Session, product_ids: list[int]) -> dict[int, tuple[str, str, int]]:
    """Returns (SKU, title, free units over all warehouses) of products that are kept in stock."""
    free = func.sum(
        greater_of(0, Balance.on_hand - Balance.reserved - Balance.blocked - Balance.safety)
    )
    rows = session.execute(
        select(Product.id, Product.sku, Product.title, free)
        .join(Balance, Balance.product_id == Product.id)
        .where(Product.id.in_(product_ids), Product.archived_at.is_(None))
        .group_by(Product.id)
    )
    return {product_id: (sku, title, units) for product_id, sku, title, units in rows.all()}


def movement_by_key(session: Session, request_key: str) -> Movement | None:
    """Returns the movement that was made under a key, or None."""
    return session.scalar(select(Movement).where(Movement.request_key == request_key))
