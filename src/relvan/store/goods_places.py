"""Reads bins and what lies in them, for many goods at once."""

from collections.abc import Collection

from sqlalchemy import Row, func, select

from relvan.store.among import among
from relvan.store.session import Session
from relvan.store.tables import Bin, BinBalance, Warehouse


def warehouses_by_name(session: Session) -> dict[str, Warehouse]:
    """Returns all warehouses by their keys and their names in lower case; a key goes before a name."""
    found = session.scalars(select(Warehouse).order_by(Warehouse.id)).all()
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


def find_first_bin(session: Session, warehouse_id: int) -> Bin | None:
    """Returns the first open bin on the way through a warehouse, or None."""
    opened = select(Bin).where(Bin.warehouse_id == warehouse_id, Bin.closed.is_(False))
    return session.scalar(opened.order_by(Bin.walk, Bin.id).limit(1))


def first_bin(session: Session, warehouse_id: int) -> int:
    """Returns the id of the first open bin on the way through a warehouse, which must have one."""
    found = find_first_bin(session, warehouse_id)
    assert found is not None
    return found.id


def lying_in_bins(
    session: Session, product_ids: Collection[int], warehouse_ids: Collection[int]
) -> list[Row[*tuple[Bin, int, int, int]]]:
    """Returns what lies of products in the bins of warehouses as (bin, product, units on hand, units
    blocked), in the order of the way through the warehouse."""
    lies = select(Bin, BinBalance.product_id, BinBalance.on_hand, BinBalance.blocked)
    lies = lies.join(BinBalance, BinBalance.bin_id == Bin.id)
    wanted = (among(BinBalance.product_id, product_ids), among(Bin.warehouse_id, warehouse_ids))
    return list(session.execute(lies.where(*wanted).order_by(Bin.walk, Bin.id)).all())
