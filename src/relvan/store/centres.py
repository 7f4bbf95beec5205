"""Queries over what marketplaces' centres send for us."""

from sqlalchemy import and_, func, or_, select
from sqlalchemy.orm import Session

from relvan.core.channels.connection import IN_USE
from relvan.core.shipping.life import OPEN_SHIPMENTS, ShipmentState
from relvan.store.built import bare_rows
from relvan.store.kept import kept
from relvan.store.tables import (
    Channel,
    Order,
    OrderLine,
    Reservation,
    Shipment,
    ShipmentLine,
    Warehouse,
)

WHOLE_ONLY = select(Warehouse.id).where(Warehouse.kind == "centre", Warehouse.takes == "whole")


def centres(session: Session) -> list[Warehouse]:
    """Returns the warehouses that are centres of channels."""
    wanted = select(Warehouse).where(Warehouse.kind == "centre", Warehouse.centre != "")
    return list(session.scalars(wanted.order_by(Warehouse.id)))


def channels_with_centres(session: Session) -> list[int]:
    """Returns the ids of the connected channels of which a warehouse is a centre."""
    wanted = (
        select(Channel.id)
        .join(Warehouse, Warehouse.channel == Channel.key)
        .where(Warehouse.kind == "centre", Warehouse.centre != "", Channel.connection.in_(IN_USE))
    )
    return list(session.scalars(wanted.distinct().order_by(Channel.id)))


def centre_shipments(
    session: Session, channel_id: int, state: str, limit: int, *, recall: bool = False
) -> list[Shipment]:
    """Returns shipments of a state in the centres of a channel, the oldest first; with `recall` those
    that are wanted back."""
    wanted = (
        select(Shipment)
        .join(Warehouse, Warehouse.id == Shipment.warehouse_id)
        .join(Channel, Channel.key == Warehouse.channel)
        .where(Shipment.state == state, Channel.id == channel_id)
    )
    if recall:
        wanted = wanted.where(Shipment.recall.is_(True))
    return list(session.scalars(wanted.order_by(Shipment.id).limit(limit)))


def handed_lines(session: Session, shipment_id: int) -> tuple[tuple[str, int], ...]:
    """Returns the units of a shipment by SKU."""
    wanted = (
        select(OrderLine.sku, func.sum(ShipmentLine.quantity))
        .join(OrderLine, OrderLine.id == ShipmentLine.order_line_id)
        .where(ShipmentLine.shipment_id == shipment_id)
        .group_by(OrderLine.sku)
        .order_by(OrderLine.sku)
    )
    return tuple((sku, int(units)) for sku, units in session.execute(wanted) if units)


def shipment_by_number(session: Session, number: str) -> Shipment | None:
    """Returns a shipment by its number, or None."""
    return session.scalar(select(Shipment).where(Shipment.number == number))


def orders_for_centres(
    session: Session, channel_id: int, after: int, limit: int
) -> list[tuple[int, int]]:
    """Returns (order, warehouse) where goods are promised from a centre of a channel that takes orders by
    themselves, and no shipment is open there or was recalled; the oldest after an order first."""
    there = (
        select(Shipment.id)
        .where(
            Shipment.order_id == Order.id,
            Shipment.warehouse_id == Warehouse.id,
            or_(
                Shipment.state.in_(OPEN_SHIPMENTS),
                and_(Shipment.state == ShipmentState.CANCELLED, Shipment.said != ""),
            ),
        )
        .exists()
    )
    wanted = (
        select(Order.id, Warehouse.id)
        .join(OrderLine, OrderLine.order_id == Order.id)
        .join(Reservation, Reservation.order_line_id == OrderLine.id)
        .join(Warehouse, Warehouse.id == Reservation.warehouse_id)
        .join(Channel, Channel.key == Warehouse.channel)
        .where(
            Channel.id == channel_id,
            Order.id > after,
            Warehouse.hand_over == "by-itself",
            Order.cancelled_at.is_(None),
            ~there,
        )
        .distinct()
        .order_by(Order.id)
        .limit(limit)
    )
    return [(order_id, warehouse_id) for order_id, warehouse_id in session.execute(wanted)]


def shipments_by_itself(session: Session, channel_id: int, limit: int) -> list[Shipment]:
    """Returns shipments that wait for centres which take them by themselves; those of cancelled orders,
    and those that were refused there, are left out."""
    wanted = (
        select(Shipment)
        .join(Order, Order.id == Shipment.order_id)
        .join(Warehouse, Warehouse.id == Shipment.warehouse_id)
        .join(Channel, Channel.key == Warehouse.channel)
        .where(
            Shipment.state == ShipmentState.TO_HAND_OVER,
            Shipment.said == "",
            Channel.id == channel_id,
            Warehouse.hand_over == "by-itself",
            Order.cancelled_at.is_(None),
        )
    )
    return list(session.scalars(wanted.order_by(Shipment.id).limit(limit)))


@kept
def whole_only_places(session: Session) -> frozenset[int]:
    """Returns the centres that take whole orders only."""
    return frozenset(bare_rows(session, WHOLE_ONLY).scalars())
