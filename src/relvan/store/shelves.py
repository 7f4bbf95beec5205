"""Queries over bins as goods are put into them: those that hold a product, and empty ones. They read no more of
a warehouse than its goods need, since a warehouse has many bins and a scanner waits for the answer.
"""

from collections.abc import Generator
from contextlib import closing
from typing import Any

from sqlalchemy import Select, case, exists, func, literal, select
from sqlalchemy.orm import Session, aliased

from relvan.core.stock.putting_away import PutAwayBin
from relvan.store.tables import Bin, BinBalance

SOME = 50  # empty bins are read by so many at a time


def shelves_for(
    session: Session, product_id: int, warehouse_id: int, units: int
) -> list[PutAwayBin]:
    """Returns the open bins of a warehouse that units of a product may be put into: those that hold it,
    and as many empty ones as take all units. Where there is neither, the nearest bin is returned.
    """
    shelves = list(_holding(session, product_id, warehouse_id))
    room = 0
    with closing(_empty(session, warehouse_id)) as empty:
        for shelf in empty:
            shelves.append(shelf)
            room += units if shelf.room is None else shelf.room
            if room >= units:
                break
    return shelves or _nearest(session, warehouse_id)


def _holding(session: Session, product_id: int, warehouse_id: int) -> Generator[PutAwayBin]:
    """Yields the bins that hold a product. All that lies in a bin is counted only where its capacity asks
    for it."""
    every = aliased(BinBalance)
    lies_there = (
        select(func.sum(every.on_hand))
        .where(every.bin_id == Bin.id)
        .correlate(Bin)
        .scalar_subquery()
    )
    own = BinBalance.on_hand
    wanted = (
        _bins(warehouse_id, own, case((Bin.capacity.is_not(None), lies_there), else_=own))
        .join(BinBalance, BinBalance.bin_id == Bin.id)
        .where(BinBalance.product_id == product_id, own > 0)
    )
    return _read(session, wanted)


def _empty(session: Session, warehouse_id: int) -> Generator[PutAwayBin]:
    taken = exists().where(BinBalance.bin_id == Bin.id, BinBalance.on_hand > 0)
    nothing = literal(0)
    wanted = _bins(warehouse_id, nothing, nothing).where(~taken)
    return _read(session, wanted.order_by(Bin.purpose, Bin.walk, Bin.code))


def _nearest(session: Session, warehouse_id: int) -> list[PutAwayBin]:
    """Returns the nearest bin of a warehouse that is full, as one in which something else lies."""
    wanted = _bins(warehouse_id, literal(0), literal(1))
    return list(_read(session, wanted.order_by(Bin.purpose, Bin.walk, Bin.code).limit(1)))


def _bins(warehouse_id: int, own: Any, everything: Any) -> Select[Any]:
    """Selects the open bins of a warehouse; pick bins sort before reserve bins by their names."""
    return select(Bin.code, Bin.walk, Bin.purpose, Bin.capacity, own, everything).where(
        Bin.warehouse_id == warehouse_id, Bin.closed.is_(False)
    )


def _read(session: Session, wanted: Select[Any]) -> Generator[PutAwayBin]:
    with session.execute(wanted.execution_options(yield_per=SOME)) as rows:
        for code, walk, purpose, capacity, own, everything in rows:
            yield PutAwayBin(code, walk, purpose == "reserve", capacity, int(own), int(everything))
