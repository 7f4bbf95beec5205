"""Queries over the firm, its number series, its warehouses and bins, and what is set up so far."""

from collections.abc import Collection, Mapping, Sequence
from typing import Any, NamedTuple

from sqlalchemy import (
    Integer,
    case,
    delete,
    exists,
    func,
    insert,
    literal,
    literal_column,
    or_,
    select,
    update,
)
from sqlalchemy.orm import Session

from relvan.core.orders.intake import Address
from relvan.core.setup.firm import TEXTS, Firm
from relvan.store.channels import CONNECTED
from relvan.store.counting import remembered
from relvan.store.tables import (
    Balance,
    Bin,
    BinBalance,
    Carrier,
    Channel,
    Counter,
    FirmRow,
    FirstVisit,
    Listing,
    Movement,
    Order,
    Person,
    Pick,
    PriceList,
    Product,
    Shipment,
    SupplyWarehouse,
    Warehouse,
)

THE_FIRM = 1

_NOTHING = literal_column("0", Integer)  # as the index of what is kept back says it


def firm_of(session: Session) -> Firm | None:
    """Returns the firm, or None while nobody has described it."""
    row = session.get(FirmRow, THE_FIRM)
    if row is None:
        return None
    texts = {name: getattr(row, name) for name in TEXTS}
    return Firm(
        address=Address.read(row.address),
        two_step=row.two_step,
        logo=row.logo,
        packaging=row.packaging,
        **texts,
    )


def keep_firm(session: Session, firm: Firm) -> None:
    """Saves the firm."""
    row = session.get(FirmRow, THE_FIRM)
    if row is None:
        row = FirmRow(id=THE_FIRM)
        session.add(row)
    row.address, row.two_step, row.logo = firm.address.as_dict(), firm.two_step, firm.logo
    row.packaging = firm.packaging
    for name in TEXTS:
        setattr(row, name, getattr(firm, name))


def skipped_steps(session: Session) -> list[str]:
    """Returns the first steps that somebody has skipped."""
    row = session.get(FirmRow, THE_FIRM)
    return list(row.skipped) if row else []


def keep_skipped(session: Session, steps: Sequence[str]) -> None:
    """Saves which first steps are skipped. The firm must be there."""
    session.get_one(FirmRow, THE_FIRM).skipped = list(steps)


def has_amounts(session: Session) -> bool:
    """Says whether anything is kept in the firm's currency: a cost, a floor, or an order."""
    priced = exists().where(or_(Product.cost.is_not(None), Product.floor.is_not(None)))
    return bool(session.scalar(select(or_(priced, exists().where(Order.id > 0)))))


class Done(NamedTuple):
    """What is there of all that a firm needs before its first sale."""

    named: bool
    warehouse: bool
    price_list: bool
    channel: bool
    product: bool
    stock: bool
    carrier: bool
    listing: bool
    order: bool


def what_is_there(session: Session) -> Done:
    """Returns what is set up so far, by one query."""
    named = exists().where(FirmRow.id == THE_FIRM, FirmRow.name != "")
    found = session.execute(
        select(
            named,
            exists().where(Warehouse.kind == "own"),
            exists().where(PriceList.id > 0),
            exists().where(CONNECTED),
            exists().where(Product.id > 0),
            exists().where(Balance.on_hand > 0),
            exists().where(Carrier.id > 0),
            exists().where(Listing.id > 0),
            exists().where(Order.id > 0),
        )
    ).one()
    return Done(*(bool(value) for value in found))


def series_rows(session: Session) -> dict[str, tuple[int, str]]:
    """Returns the last number and the pattern of each series that has begun."""
    rows = session.execute(select(Counter.name, Counter.value, Counter.pattern))
    return {name: (value, pattern) for name, value, pattern in rows}


def keep_series(session: Session, name: str, last: int, pattern: str) -> None:
    """Saves the last number and the pattern of a series."""
    row = session.get(Counter, name)
    if row is None:
        session.add(Counter(name=name, value=last, pattern=pattern))
        return
    row.value, row.pattern = last, pattern


class WarehouseLine(NamedTuple):
    """A warehouse with what lies in it."""

    warehouse: Warehouse
    bins: int
    products: int
    units: int


def warehouse_lines(session: Session, only: int | None = None) -> list[WarehouseLine]:
    """Returns all warehouses, or only that of an id, with their bins that are open, their products
    and their units."""
    bins = (
        select(func.count(Bin.id))
        .where(Bin.warehouse_id == Warehouse.id, Bin.closed.is_(False))
        .scalar_subquery()
    )
    held = remembered(session, Product, "held by warehouse", lambda: _held(session))
    statement = select(Warehouse, bins).order_by(Warehouse.id)
    if only is not None:
        statement = statement.where(Warehouse.id == only)
    return [
        WarehouseLine(warehouse, open_bins, *held.get(warehouse.id, (0, 0)))
        for warehouse, open_bins in session.execute(statement)
    ]


def _held(session: Session) -> dict[int, tuple[int, int]]:
    """Returns (products, units) in each warehouse in which anything has been."""
    rows = session.execute(
        select(
            Balance.warehouse_id,
            func.count(case((Balance.on_hand > 0, 1))),
            func.sum(Balance.on_hand),
        ).group_by(Balance.warehouse_id)
    )
    return {warehouse: (int(products), int(units)) for warehouse, products, units in rows}


def channels_fed(session: Session, warehouse_id: int) -> list[tuple[str, str, int]]:
    """Returns (key, name, place in its supply list) of the channels that sell from a warehouse."""
    rows = session.execute(
        select(Channel.key, Channel.name, SupplyWarehouse.position)
        .join(SupplyWarehouse, SupplyWarehouse.channel_id == Channel.id)
        .where(SupplyWarehouse.warehouse_id == warehouse_id, CONNECTED)
        .order_by(Channel.id)
    ).all()
    return [(key, name, position + 1) for key, name, position in rows]


class SafetySum(NamedTuple):
    """How much a warehouse keeps back: of how many products, and units in all."""

    products: int
    units: int


def skus_with_safety(session: Session, warehouse_id: int, units: int) -> list[str]:
    """Returns the SKUs of the products in a warehouse of which so many units are kept back."""
    statement = (
        select(Product.sku)
        .join(Balance, Balance.product_id == Product.id)
        .where(Balance.warehouse_id == warehouse_id, Balance.safety == units)
    )
    return list(session.scalars(statement.order_by(Product.id)))


def safety_of_warehouse(session: Session, warehouse_id: int) -> SafetySum:
    """Returns the safety stock of a warehouse in all."""
    row = session.execute(
        select(func.count(), func.coalesce(func.sum(Balance.safety), 0)).where(
            Balance.warehouse_id == warehouse_id, Balance.safety > _NOTHING
        )
    ).one()
    return SafetySum(*map(int, row))


def is_warehouse_key(session: Session, key: str) -> bool:
    """Says whether a warehouse has a key."""
    return session.scalar(select(exists().where(Warehouse.key == key))) is True


class BinLine(NamedTuple):
    """A bin with what lies in it."""

    id: int
    code: str
    walk: int
    closed: bool
    purpose: str
    capacity: int | None
    products: int
    units: int


def bin_lines(
    session: Session, warehouse_id: int, *, after: int = 0, limit: int | None = None
) -> list[BinLine]:
    """Returns bins of a warehouse by the way through it, from the one after a walk number on."""
    page = (
        select(Bin.id, Bin.code, Bin.walk, Bin.closed, Bin.purpose, Bin.capacity)
        .where(Bin.warehouse_id == warehouse_id, Bin.walk > after)
        .order_by(Bin.walk, Bin.code)
        .limit(limit)
        .subquery()
    )
    held = (
        select(
            BinBalance.bin_id,
            func.count(case((BinBalance.on_hand > 0, 1))).label("products"),
            func.sum(BinBalance.on_hand).label("units"),
        )
        .where(BinBalance.bin_id.in_(select(page.c.id)))
        .group_by(BinBalance.bin_id)
        .subquery()
    )
    rows = session.execute(
        select(page, func.coalesce(held.c.products, 0), func.coalesce(held.c.units, 0))
        .outerjoin(held, held.c.bin_id == page.c.id)
        .order_by(page.c.walk, page.c.code)
    )
    return [BinLine(*row) for row in rows]


def codes_of_bins(session: Session, warehouse_id: int) -> dict[str, int]:
    """Returns the ids of all bins of a warehouse by code, closed ones too."""
    rows = session.execute(select(Bin.code, Bin.id).where(Bin.warehouse_id == warehouse_id))
    return dict(rows.all())


def insert_bins(session: Session, warehouse_id: int, codes: Sequence[str]) -> None:
    """Adds bins; their places in the way are given by `keep_walks`."""
    if codes:
        session.execute(
            insert(Bin),
            [
                {"warehouse_id": warehouse_id, "code": code, "walk": 0, "closed": False}
                for code in codes
            ],
        )


def keep_walks(session: Session, walks: Mapping[int, int]) -> None:
    """Saves the place of each bin, by its id, in the way through its warehouse."""
    if walks:
        session.execute(
            update(Bin), [{"id": bin_id, "walk": walk} for bin_id, walk in walks.items()]
        )


def reopen_bins(session: Session, bin_ids: Collection[int]) -> None:
    """Opens bins that were closed."""
    if bin_ids:
        session.execute(update(Bin).where(Bin.id.in_(bin_ids)).values(closed=False))


def is_nobody_there(session: Session) -> bool:
    """Says whether nobody works here as yet, and nobody ever did."""
    return session.scalar(select(exists().where(Person.id > 0))) is not True


def first_visit_hash(session: Session) -> str:
    """Returns the hash of the code of the first visit; empty when there is none."""
    return session.scalar(select(FirstVisit.code_hash).where(FirstVisit.id == literal(1))) or ""


def keep_first_visit(session: Session, made: Mapping[str, Any] | None) -> None:
    """Saves the hash of a new code in the place of the one before, or forgets it."""
    session.execute(delete(FirstVisit))
    if made is not None:
        session.execute(insert(FirstVisit), [{"id": 1, **made}])


class WarehouseUse(NamedTuple):
    """What a warehouse has been used for."""

    bins: int
    movements: int
    shipments: int
    orders: int


def use_of_warehouse(session: Session, warehouse_id: int) -> WarehouseUse:
    """Returns how many bins a warehouse has, and how many movements, shipments and
    orders name it."""
    counts = [
        select(func.count()).where(column == warehouse_id).scalar_subquery()
        for column in (
            Bin.warehouse_id,
            Movement.warehouse_id,
            Shipment.warehouse_id,
            Order.warehouse_id,
        )
    ]
    return WarehouseUse(*session.execute(select(*counts)).one())


def erase_warehouse(session: Session, warehouse_id: int) -> None:
    """Deletes a warehouse in which nothing ever happened, with its bins and its places in supply
    lists.
    """
    for table in (SupplyWarehouse, Balance, Bin):
        session.execute(delete(table).where(table.warehouse_id == warehouse_id))
    session.execute(delete(Warehouse).where(Warehouse.id == warehouse_id))


def closed_bins(session: Session, warehouse_id: int) -> set[str]:
    """Returns the codes of bins that are closed."""
    found = select(Bin.code).where(Bin.warehouse_id == warehouse_id, Bin.closed.is_(True))
    return set(session.scalars(found))


def has_open_picks_in(session: Session, bin_id: int) -> bool:
    """Says whether a pick that is not done yet leads to a bin."""
    return (
        session.scalar(select(exists().where(Pick.bin_id == bin_id, Pick.picked.is_(None)))) is True
    )


def lies_in(session: Session, bin_id: int) -> list[tuple[int, int, int]]:
    """Returns (product, units on hand, units blocked) of all that lies in a bin."""
    held = or_(BinBalance.on_hand > 0, BinBalance.blocked > 0)
    rows = session.execute(
        select(BinBalance.product_id, BinBalance.on_hand, BinBalance.blocked)
        .where(BinBalance.bin_id == bin_id, held)
        .order_by(BinBalance.product_id)
    )
    return [(product, on_hand, blocked) for product, on_hand, blocked in rows]
