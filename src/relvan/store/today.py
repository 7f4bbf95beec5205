"""Queries of the first page of the day: what was sold by hour, what is held up, and pulses."""

from collections import defaultdict
from datetime import UTC, datetime

from sqlalchemy import Text, func, select, type_coerce
from sqlalchemy.orm import Session

from relvan.core.orders.trays import Tray
from relvan.core.setup.warehouses import PickUp
from relvan.core.today.figures import SoldHour
from relvan.store.tables import Order, Shipment, Warehouse

TO_SEND = ("to pick", "picking", "to pack", "to ship", "to hand over")
HOUR = len("2026-11-29T20")


def sold_by_hour(
    session: Session, since: datetime, until: datetime | None = None
) -> list[SoldHour]:
    """Returns what was ordered by channel, currency and hour, cancelled orders left out."""
    hour = func.substr(type_coerce(Order.placed_at, Text), 1, HOUR)
    statement = select(
        Order.channel_id, Order.currency, hour, func.count(), func.sum(Order.total)
    ).where(Order.placed_at >= since, Order.tray != Tray.CANCELLED)
    if until is not None:
        statement = statement.where(Order.placed_at < until)
    # SQLite would rather read all orders in the order of their channels
    statement = statement.with_hint(Order, "INDEXED BY ix_customer_order_placed_at", "sqlite")
    rows = session.execute(statement.group_by(Order.channel_id, Order.currency, hour)).all()
    return [
        SoldHour(
            channel,
            currency,
            datetime.strptime(began, "%Y-%m-%dT%H").replace(tzinfo=UTC),
            orders,
            int(amount or 0),
        )
        for channel, currency, began, orders, amount in rows
    ]


def pick_ups_needed(session: Session) -> dict[str, list[PickUp]]:
    """Returns when carriers call at the warehouses that have shipments in each open state."""
    statement = (
        select(Shipment.state, Warehouse.pick_up)
        .join(Warehouse, Warehouse.id == Shipment.warehouse_id)
        .where(Shipment.state.in_(TO_SEND))
        .group_by(Shipment.state, Warehouse.id)
    )
    found: dict[str, list[PickUp]] = defaultdict(list)
    for state, told in session.execute(statement).all():
        found[state].append(PickUp.read(told))
    return found
