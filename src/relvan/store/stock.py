"""Queries over stock: balances of products, and bins with what can be picked from them."""

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from functools import cache
from typing import Any, Protocol

from sqlalchemy import (
    ColumnElement,
    Executable,
    Select,
    bindparam,
    case,
    func,
    literal_column,
    or_,
    select,
    true,
    update,
)

from relvan.core.picking.walk import Place
from relvan.core.refusal import not_found
from relvan.core.shipping.life import OPEN_SHIPMENTS, PickListState
from relvan.core.stock.availability import StockBalance as CoreBalance
from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.bulk import read_anew
from relvan.store.goods_places import bins_by_code, open_bins, warehouses_by_name
from relvan.store.session import Session, connection_of
from relvan.store.tables import (
    Balance,
    Bin,
    BinBalance,
    Movement,
    Pick,
    PickList,
    Product,
    Shipment,
    ShipmentLine,
    Warehouse,
)

NAMES = select(Warehouse.id, Warehouse.name).order_by(Warehouse.id)


# as the index of what is free has it
_IS_FREE = Balance.on_hand - Balance.reserved - Balance.blocked - Balance.safety > literal_column(
    "0"
)


def has_free_stock(product_id: Any, *, wanted: bool) -> ColumnElement[bool]:
    """Returns the condition that some warehouse has free units of the product in a column, or that
    none has. Each product is looked up by itself, so that a page that is soon full need not read
    all stock.
    """
    free = select(Balance.product_id).where(_IS_FREE, Balance.product_id == product_id).exists()
    return free if wanted else ~free


def warehouse_by_id(session: Session, warehouse_id: int) -> Warehouse:
    """Returns the warehouse with an id. The warehouse must exist."""
    return session.get_one(Warehouse, warehouse_id)


def warehouse_by_key(session: Session, key: str) -> Warehouse:
    """Returns a warehouse by its key or name, without regard to case."""
    warehouse = warehouses_by_name(session, [key]).get(key.strip().lower())
    if warehouse is None:
        raise not_found("warehouse", key)
    return warehouse


def warehouses(session: Session) -> list[Warehouse]:
    """Returns all warehouses."""
    return list(session.scalars(select(Warehouse).order_by(Warehouse.id)))


def warehouse_names(session: Session) -> dict[int, str]:
    """Returns the names of all warehouses by id."""
    return dict(bare_rows(session, NAMES).all())


def balances_of(
    session: Session, product_ids: Collection[int]
) -> dict[int, dict[int, CoreBalance]]:
    """Returns balances by product and warehouse."""
    rows = bare_rows(session, *_balance_lines(product_ids))
    found: dict[int, dict[int, CoreBalance]] = defaultdict(dict)
    for product_id, warehouse_id, name, on_hand, reserved, blocked, safety in rows:
        found[product_id][warehouse_id] = CoreBalance(name, on_hand, reserved, blocked, safety)
    return found


@built_once
def _balance_lines(product_ids: Collection[int]) -> Select[int, int, str, int, int, int, int]:
    columns = (
        Balance.product_id,
        Balance.warehouse_id,
        Warehouse.name,
        Balance.on_hand,
        Balance.reserved,
        Balance.blocked,
        Balance.safety,
    )
    held = select(*columns).join(Warehouse, Warehouse.id == Balance.warehouse_id)
    return held.where(among(Balance.product_id, product_ids))


@dataclass(frozen=True)
class StockRow:
    """One product in one warehouse."""

    product_id: int
    sku: str
    title: str
    warehouse: str
    warehouse_key: str
    on_hand: int
    reserved: int
    blocked: int
    safety: int

    @property
    def free(self) -> int:
        """The units that can be sold from this warehouse."""
        return max(0, self.on_hand - self.reserved - self.blocked - self.safety)


def stock_rows(session: Session, product_ids: Collection[int]) -> list[StockRow]:
    """Returns the stock of some products in every warehouse, by SKU."""
    statement = _stock_columns().where(Product.id.in_(product_ids))
    rows = session.execute(statement.order_by(Product.sku_key, Warehouse.id))
    return [StockRow(*row) for row in rows]


def _stock_columns(*more: ColumnElement[Any]) -> Select[*tuple[Any, ...]]:
    """Builds the query for the columns of a `StockRow`, for every product and warehouse, with
    further columns after them.
    """
    return (
        select(
            Product.id,
            Product.sku,
            Product.title,
            Warehouse.name,
            Warehouse.key,
            func.coalesce(Balance.on_hand, 0),
            func.coalesce(Balance.reserved, 0),
            func.coalesce(Balance.blocked, 0),
            func.coalesce(Balance.safety, 0),
            *more,
        )
        .select_from(Product)
        .join(Warehouse, Warehouse.id > 0)
        .outerjoin(
            Balance, (Balance.product_id == Product.id) & (Balance.warehouse_id == Warehouse.id)
        )
    )


@dataclass(frozen=True)
class WarehouseStock:
    """What one warehouse has of a product, and what lies in its bins as (bin, units on hand), in
    the order of the way through the warehouse.
    """

    row: StockRow
    bins: tuple[tuple[str, int], ...]


def stock_with_bins(session: Session, product_id: int) -> list[WarehouseStock]:
    """Returns what every warehouse has of a product, with its bins; one query."""
    lies = (
        select(Bin.warehouse_id, Bin.code, Bin.walk, BinBalance.on_hand)
        .join(BinBalance, BinBalance.bin_id == Bin.id)
        .where(BinBalance.product_id == product_id, BinBalance.on_hand > 0)
        .subquery()
    )
    statement = _stock_columns(lies.c.code, lies.c.on_hand).outerjoin(
        lies, lies.c.warehouse_id == Warehouse.id
    )
    statement = statement.where(Product.id == product_id).order_by(Warehouse.id, lies.c.walk)
    bins: dict[StockRow, list[tuple[str, int]]] = {}
    for *of_warehouse, code, units in session.execute(statement).all():
        held = bins.setdefault(StockRow(*of_warehouse), [])
        if code is not None:
            held.append((code, units))
    return [WarehouseStock(row, tuple(held)) for row, held in bins.items()]


class NamedRow(Protocol):
    """A product as a list names it."""

    @property
    def id(self) -> int:
        """The id of the product."""
        ...

    @property
    def sku(self) -> str:
        """The SKU of the product."""
        ...

    @property
    def title(self) -> str:
        """The title of the product."""
        ...


@dataclass(frozen=True)
class ProductStock:
    """One product with its stock in each warehouse, by the warehouse's key, and the sums over all
    of them.
    """

    sku: str
    title: str
    places: dict[str, StockRow]

    def sum_of(self, name: str) -> int:
        """Returns the units on hand, reserved, blocked, kept as safety stock or free over all
        warehouses.
        """
        return sum(getattr(row, name) for row in self.places.values())


def stock_by_product(session: Session, products: Sequence[NamedRow]) -> list[ProductStock]:
    """Returns the stock of products in the order in which they are given; one query."""
    found: dict[int, dict[str, StockRow]] = defaultdict(dict)
    for row in stock_rows(session, [product.id for product in products]):
        found[row.product_id][row.warehouse_key] = row
    return [ProductStock(product.sku, product.title, found[product.id]) for product in products]


def balance_row(session: Session, product_id: int, warehouse_id: int) -> Balance:
    """Returns the balance of a product in a warehouse and creates it when there is none yet, as
    `add_balance` does.
    """
    balance = session.get(Balance, (product_id, warehouse_id))
    return balance or add_balance(session, product_id, warehouse_id)


def add_balance(session: Session, product_id: int, warehouse_id: int) -> Balance:
    """Returns a new balance of a product in a warehouse, with the safety stock of the warehouse. There
    must be none yet.
    """
    balance = Balance(
        product_id=product_id,
        warehouse_id=warehouse_id,
        on_hand=0,
        reserved=0,
        blocked=0,
        safety=session.get_one(Warehouse, warehouse_id).safety,
    )
    session.add(balance)
    return balance


def balance_rows(session: Session, product_ids: Collection[int]) -> dict[tuple[int, int], Balance]:
    """Returns the balances of products by (product, warehouse), for changing them."""
    rows = session.scalars(select(Balance).where(among(Balance.product_id, product_ids)))
    return {(row.product_id, row.warehouse_id): row for row in rows}


def change_reserved(session: Session, units: Mapping[tuple[int, int], int]) -> None:
    """Adds units to what is reserved of products, by (product, warehouse); units below 0 are taken off.
    The balances must exist."""
    if not units:
        return
    rows = [
        {"of": product_id, "at": warehouse_id, "more": more}
        for (product_id, warehouse_id), more in units.items()
    ]
    connection_of(session).execute(_changed_reserved(), rows)
    read_anew(session, Balance, units)


@cache
def _changed_reserved() -> Executable:
    table: Any = Balance.__table__
    raised = update(table).values(reserved=table.c.reserved + bindparam("more"))
    return raised.where(
        table.c.product_id == bindparam("of"), table.c.warehouse_id == bindparam("at")
    )


def bin_balance_row(session: Session, bin_id: int, product_id: int) -> BinBalance:
    """Returns the balance of a product in a bin and creates it when there is none yet."""
    balance = session.get(BinBalance, (bin_id, product_id))
    return balance or add_bin_balance(session, bin_id, product_id)


def add_bin_balance(session: Session, bin_id: int, product_id: int) -> BinBalance:
    """Returns a new balance of a product in a bin. There must be none yet."""
    balance = BinBalance(bin_id=bin_id, product_id=product_id, on_hand=0, blocked=0)
    session.add(balance)
    return balance


def bin_balance_rows(
    session: Session, bin_ids: Collection[int], product_ids: Collection[int]
) -> dict[tuple[int, int], BinBalance]:
    """Returns the balances of products in bins by (bin, product), for changing them."""
    lying = (among(BinBalance.bin_id, bin_ids), among(BinBalance.product_id, product_ids))
    rows = session.scalars(select(BinBalance).where(*lying))
    return {(row.bin_id, row.product_id): row for row in rows}


def bins_of(session: Session, warehouse_id: int) -> list[Bin]:
    """Returns the open bins of a warehouse in the order of the way through it."""
    return list(session.scalars(open_bins(warehouse_id)))


def find_bin(session: Session, warehouse_id: int, code: str) -> Bin:
    """Returns a bin by its code, without regard to case."""
    found = bins_by_code(session, [warehouse_id], [code]).get((warehouse_id, code.upper()))
    if found is None:
        raise not_found("bin", code)
    return found


def places_of(
    session: Session, warehouse_id: int, product_ids: Collection[int], today: date | None = None
) -> dict[int, list[Place]]:
    """Returns the bins of a warehouse by product, with the units that no open pick will take from
    them. Where the day is given, goods beyond their use-by date are left out.
    """
    taken = (
        select(
            Pick.bin_id,
            Pick.product_id,
            func.sum(case((Pick.picked.is_(None), Pick.quantity), else_=Pick.picked)),
        )
        .join(PickList, PickList.id == Pick.pick_list_id)
        .join(ShipmentLine, ShipmentLine.id == Pick.shipment_line_id)
        .join(Shipment, Shipment.id == ShipmentLine.shipment_id)
        .where(
            Pick.product_id.in_(product_ids),
            PickList.state != PickListState.CANCELLED,
            Shipment.state.in_(OPEN_SHIPMENTS),
        )
        .group_by(Pick.bin_id, Pick.product_id)
    )
    gone = {(bin_id, product_id): units for bin_id, product_id, units in session.execute(taken)}
    rows = session.execute(
        select(
            BinBalance.product_id,
            Bin.id,
            Bin.code,
            Bin.walk,
            BinBalance.on_hand - BinBalance.blocked,
            Bin.purpose == "reserve",
            BinBalance.use_by,
        )
        .join(Bin, Bin.id == BinBalance.bin_id)
        .where(Bin.warehouse_id == warehouse_id, BinBalance.product_id.in_(product_ids))
        .where(_usable(today))
    )
    since = _came_in(session, warehouse_id, product_ids)
    found: dict[int, list[Place]] = defaultdict(list)
    for product_id, bin_id, code, walk, there, reserve, use_by in rows:
        left = there - gone.get((bin_id, product_id), 0)
        if left > 0:
            came = since.get((bin_id, product_id), 0.0)
            place = Place(bin_id, code, walk, left, reserve, came, use_by or "")
            found[product_id].append(place)
    return found


def _usable(today: date | None) -> ColumnElement[bool]:
    if today is None:
        return true()
    return or_(BinBalance.use_by.is_(None), BinBalance.use_by >= today.isoformat())


def _came_in(
    session: Session, warehouse_id: int, product_ids: Collection[int]
) -> dict[tuple[int, int], float]:
    """Returns when products that lie in several bins first came into each of them, in seconds."""
    several = (
        select(BinBalance.product_id)
        .join(Bin, Bin.id == BinBalance.bin_id)
        .where(Bin.warehouse_id == warehouse_id, BinBalance.product_id.in_(product_ids))
        .where(BinBalance.on_hand > 0)
        .group_by(BinBalance.product_id)
        .having(func.count() > 1)
    )
    rows = session.execute(
        select(Movement.bin_id, Movement.product_id, func.min(Movement.at))
        .where(Movement.product_id.in_(several), Movement.warehouse_id == warehouse_id)
        .where(Movement.on_hand > 0)
        .group_by(Movement.bin_id, Movement.product_id)
    )
    return {(bin_id, product_id): at.timestamp() for bin_id, product_id, at in rows if bin_id}
