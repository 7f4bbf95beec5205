"""Reads bins and what lies in them, for many goods at once."""

from collections.abc import Collection

from sqlalchemy import ColumnElement, Row, Select, func, or_, select

from relvan.core.shipping.life import OPEN_SHIPMENTS
from relvan.store.among import among
from relvan.store.session import Session
from relvan.store.tables import Bin, BinBalance, Pick, Shipment, ShipmentLine, Warehouse


def warehouses_by_name(session: Session, names: Collection[str]) -> dict[str, Warehouse]:
    """Returns the warehouses that have one of these keys or names, without regard to case, by both in
    lower case; a key goes before a name."""
    wanted = {name.strip().lower() for name in names}
    same = [among(func.lower(column), wanted) for column in (Warehouse.key, Warehouse.name)]
    found = session.scalars(select(Warehouse).where(or_(*same)).order_by(Warehouse.id)).all()
    return {one.name.lower(): one for one in found} | {one.key.lower(): one for one in found}


def bins_by_code(
    session: Session, warehouse_ids: Collection[int], codes: Collection[str]
) -> dict[tuple[int, str], Bin]:
    """Returns the bins of warehouses that have these codes, by (warehouse, code in capitals)."""
    wanted = {code.upper() for code in codes}
    if not wanted:
        return {}
    named = (among(Bin.warehouse_id, warehouse_ids), among(func.upper(Bin.code), wanted))
    return {
        (one.warehouse_id, one.code.upper()): one
        for one in session.scalars(select(Bin).where(*named))
    }


def open_bins(warehouse_id: int) -> Select[Bin]:
    """Builds the query for the open bins of a warehouse in the order of the way through it."""
    opened = select(Bin).where(Bin.warehouse_id == warehouse_id, Bin.closed.is_(False))
    return opened.order_by(Bin.walk, Bin.code)


def first_bin(session: Session, warehouse_id: int) -> Bin | None:
    """Returns the first open bin on the way through a warehouse, or None."""
    return session.scalar(open_bins(warehouse_id).limit(1))


def picked_from_bin() -> ColumnElement[int]:
    """Builds the units of the product in the bin at hand that were picked and have not left yet, as a
    column of a query over balances in bins."""
    units = (
        select(func.coalesce(func.sum(Pick.picked), 0))
        .join(ShipmentLine, ShipmentLine.id == Pick.shipment_line_id)
        .join(Shipment, Shipment.id == ShipmentLine.shipment_id)
        .where(
            Pick.bin_id == BinBalance.bin_id,
            Pick.product_id == BinBalance.product_id,
            Shipment.state.in_(OPEN_SHIPMENTS),
        )
    )
    return units.correlate(BinBalance).scalar_subquery()


def picked_units(session: Session, bin_id: int, product_id: int) -> int:
    """Returns how many units of a product were picked from a bin and have not left yet."""
    lies = (BinBalance.bin_id == bin_id, BinBalance.product_id == product_id)
    return session.scalar(select(picked_from_bin()).select_from(BinBalance).where(*lies)) or 0


def has_picked_goods_of(session: Session, bin_id: int) -> bool:
    """Says whether goods that were picked from a bin have not left yet."""
    held = select(BinBalance.bin_id).where(BinBalance.bin_id == bin_id, picked_from_bin() > 0)
    return session.scalar(held.limit(1)) is not None


def lying_in_bins(
    session: Session, product_ids: Collection[int], warehouse_ids: Collection[int]
) -> list[Row[*tuple[Bin, int, int, int, int]]]:
    """Returns what the bins of warehouses hold of products as (bin, product, units on hand, of them
    blocked, of them picked), in the order of the way through the warehouse."""
    held = (BinBalance.product_id, BinBalance.on_hand, BinBalance.blocked, picked_from_bin())
    lies = select(Bin, *held)
    lies = lies.join(BinBalance, BinBalance.bin_id == Bin.id)
    wanted = (among(BinBalance.product_id, product_ids), among(Bin.warehouse_id, warehouse_ids))
    return list(session.execute(lies.where(*wanted).order_by(Bin.walk, Bin.id)).all())
