"""Queries over lines of shipments that are still in the house, and over returns."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from relvan.core.orders.returns import ReturnState
from relvan.core.refusal import not_found
from relvan.core.shipping.life import OPEN_SHIPMENTS
from relvan.store.among import among
from relvan.store.rows import rows_as
from relvan.store.tables import Order, OrderReturn, ReturnLine, Shipment, ShipmentLine


def open_shipment_lines(
    session: Session, order_line_id: int = 0, *, shipment_id: int = 0
) -> list[tuple[ShipmentLine, Shipment]]:
    """Returns the lines of shipments that have not left: those of a line of an order, the newest
    first, or those of one shipment."""
    wanted = select(ShipmentLine, Shipment).join(Shipment, Shipment.id == ShipmentLine.shipment_id)
    if shipment_id:
        wanted = wanted.where(Shipment.id == shipment_id)
    else:
        open_ones = Shipment.state.in_(OPEN_SHIPMENTS)
        wanted = wanted.where(ShipmentLine.order_line_id == order_line_id, open_ones)
    rows = session.execute(wanted.order_by(ShipmentLine.id.desc())).all()
    return [(line, shipment) for line, shipment in rows]


def return_by_id(session: Session, return_id: int) -> OrderReturn:
    """Returns a return by its id."""
    row = session.get(OrderReturn, return_id)
    if row is None:
        raise not_found("return", return_id)
    return row


def return_by_number(session: Session, number: str) -> OrderReturn:
    """Returns a return by its number."""
    row = session.scalar(select(OrderReturn).where(OrderReturn.number == number))
    if row is None:
        raise not_found("return", number)
    return row


def find_return(session: Session, number: str) -> OrderReturn | None:
    """Returns a return by its number, without regard to case, or None."""
    return session.scalar(select(OrderReturn).where(OrderReturn.number == number.upper()))


def lines_of_return(session: Session, return_id: int) -> list[ReturnLine]:
    """Returns the lines of a return, in the order of the order's lines."""
    wanted = select(ReturnLine).where(ReturnLine.return_id == return_id)
    return list(session.scalars(wanted.order_by(ReturnLine.order_line_id)))


def returns_of_order(session: Session, order_id: int) -> list[OrderReturn]:
    """Returns the returns of an order, the oldest first."""
    wanted = select(OrderReturn).where(OrderReturn.order_id == order_id)
    return list(session.scalars(wanted.order_by(OrderReturn.id)))


def units_back(session: Session, order_line_ids: Collection[int], but: int = 0) -> dict[int, int]:
    """Returns how many units of lines of orders are in returns that stand, by line; `but` leaves one
    return out."""
    wanted = (
        select(ReturnLine.order_line_id, func.sum(ReturnLine.quantity))
        .join(OrderReturn, OrderReturn.id == ReturnLine.return_id)
        .where(
            among(ReturnLine.order_line_id, order_line_ids),
            OrderReturn.state != ReturnState.CANCELLED,
            OrderReturn.id != but,
        )
        .group_by(ReturnLine.order_line_id)
    )
    return {line_id: int(units) for line_id, units in session.execute(wanted)}


@dataclass(frozen=True)
class ReturnListRow:
    """A return in a list; the amount is in minor units."""

    id: int
    number: str
    order: str
    customer: str
    state: str
    reason: str
    units: int
    refunded: int
    currency: str
    made_at: datetime


def return_page(
    session: Session, *, state: str = "", after: int = 0, limit: int = 50
) -> list[ReturnListRow]:
    """Returns returns, the newest first."""
    wanted = _return_rows()
    if state:
        wanted = wanted.where(OrderReturn.state == state)
    if after:
        wanted = wanted.where(OrderReturn.id < after)
    return rows_as(ReturnListRow, session, wanted.order_by(OrderReturn.id.desc()).limit(limit))


def _return_rows() -> Select[*tuple[Any, ...]]:
    return (
        select(
            OrderReturn.id,
            OrderReturn.number,
            Order.number,
            Order.customer,
            OrderReturn.state,
            OrderReturn.reason,
            func.sum(ReturnLine.quantity),
            OrderReturn.refunded,
            Order.currency,
            OrderReturn.made_at,
        )
        .join(Order, Order.id == OrderReturn.order_id)
        .join(ReturnLine, ReturnLine.return_id == OrderReturn.id)
        .group_by(OrderReturn.id, Order.id)
    )


def expected_returns(session: Session, limit: int) -> list[ReturnListRow]:
    """Returns the returns of which goods are still to come, the oldest first."""
    came = ReturnLine.to_stock + ReturnLine.to_blocked + ReturnLine.written_off
    open_ones = OrderReturn.state.in_((ReturnState.EXPECTED, ReturnState.RECEIVED))
    wanted = _return_rows().where(open_ones).having(func.sum(ReturnLine.quantity - came) > 0)
    return rows_as(ReturnListRow, session, wanted.order_by(OrderReturn.id).limit(limit))
