"""Queries over stock that is to come: expected receipts, and transfers in transit."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session, aliased

from relvan.store.among import among
from relvan.store.portable import greater_of
from relvan.store.rows import rows_as
from relvan.store.tables import ExpectedReceipt, Product, Transfer, Warehouse


@dataclass(frozen=True)
class ExpectedRow:
    """One expected receipt that is still open. `due` is a day (ISO 8601)."""

    id: int
    sku: str
    title: str
    warehouse: str
    warehouse_key: str
    quantity: int
    received: int
    due: str
    note: str

    @property
    def left(self) -> int:
        """The number of units that are still to come."""
        return max(0, self.quantity - self.received)


def expected_rows(
    session: Session, product_id: int | None = None, *, limit: int = 500
) -> list[ExpectedRow]:
    """Returns the open expected receipts, the soonest first, of one product or of all."""
    row = ExpectedReceipt
    statement = (
        select(
            row.id,
            Product.sku,
            Product.title,
            Warehouse.name,
            Warehouse.key,
            row.quantity,
            row.received,
            row.due,
            row.note,
        )
        .join(Product, Product.id == row.product_id)
        .join(Warehouse, Warehouse.id == row.warehouse_id)
        .where(row.ended_at.is_(None))
        .order_by(row.due, row.id)
        .limit(limit)
    )
    if product_id is not None:
        statement = statement.where(row.product_id == product_id)
    return rows_as(ExpectedRow, session, statement)


@dataclass(frozen=True)
class TransferRow:
    """One transfer in transit."""

    id: int
    sku: str
    title: str
    source: str
    target: str
    target_key: str
    quantity: int
    received: int
    sent_at: datetime
    note: str

    @property
    def left(self) -> int:
        """The number of units in transit."""
        return self.quantity - self.received


def transfer_rows(
    session: Session, product_id: int | None = None, *, limit: int = 500
) -> list[TransferRow]:
    """Returns the transfers in transit, the longest under way first."""
    row, target = Transfer, aliased(Warehouse)
    statement = (
        select(
            row.id,
            Product.sku,
            Product.title,
            Warehouse.name,
            target.name,
            target.key,
            row.quantity,
            row.received,
            row.sent_at,
            row.note,
        )
        .join(Product, Product.id == row.product_id)
        .join(Warehouse, Warehouse.id == row.from_id)
        .join(target, target.id == row.to_id)
        .where(row.ended_at.is_(None))
        .order_by(row.id)
        .limit(limit)
    )
    if product_id is not None:
        statement = statement.where(row.product_id == product_id)
    return rows_as(TransferRow, session, statement)


@dataclass(frozen=True)
class Coming:
    """Units of a product that are to come into one warehouse: in transit, and expected (with the
    day of the next ones).
    """

    in_transit: int = 0
    incoming: int = 0
    next_due: str = ""


def coming_of(session: Session, product_ids: Collection[int]) -> dict[tuple[int, int], Coming]:
    """Returns what is to come by (product, warehouse); two queries."""
    row = ExpectedReceipt
    expected = session.execute(
        select(
            row.product_id,
            row.warehouse_id,
            func.sum(greater_of(0, row.quantity - row.received)),
            func.min(row.due),
        )
        .where(row.ended_at.is_(None), among(row.product_id, product_ids))
        .group_by(row.product_id, row.warehouse_id)
    )
    found = {(one[0], one[1]): Coming(0, one[2], one[3]) for one in expected.all()}
    moving = session.execute(
        select(Transfer.product_id, Transfer.to_id, func.sum(Transfer.quantity - Transfer.received))
        .where(Transfer.ended_at.is_(None), among(Transfer.product_id, product_ids))
        .group_by(Transfer.product_id, Transfer.to_id)
    )
    for product_id, warehouse_id, units in moving.all():
        there = found.get((product_id, warehouse_id), Coming())
        found[product_id, warehouse_id] = Coming(units, there.incoming, there.next_due)
    return found


def made_under(
    session: Session, table: type[ExpectedReceipt] | type[Transfer], key: str
) -> int | None:
    """Returns the id of the expected receipt or transfer that was created earlier under the same
    key, or None.
    """
    return session.scalar(select(table.id).where(table.request_key == key))


def open_receipts(session: Session, product_id: int, warehouse_id: int) -> list[ExpectedReceipt]:
    """Returns the open expected receipts of a product in a warehouse, the soonest first."""
    wanted = select(ExpectedReceipt).where(
        ExpectedReceipt.product_id == product_id,
        ExpectedReceipt.warehouse_id == warehouse_id,
        ExpectedReceipt.ended_at.is_(None),
    )
    return list(session.scalars(wanted.order_by(ExpectedReceipt.due, ExpectedReceipt.id)))
