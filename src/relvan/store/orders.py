"""Queries over orders: what the rules need, and pages of them for the screen."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from relvan.core.channels.subject import order_subject, parcel_subject
from relvan.core.orders.facts import Extent, LineFacts, OrderFacts, order_facts
from relvan.core.refusal import not_found
from relvan.core.shipping.life import OPEN_SHIPMENTS
from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.portable import part_of
from relvan.store.rows import rows_as
from relvan.store.tables import (
    Order,
    OrderLine,
    OutboxEntry,
    Oversale,
    Reservation,
    Shipment,
    ShipmentLine,
    Warehouse,
)


def order_by_id(session: Session, order_id: int) -> Order:
    """Returns the order with an id. The order must exist."""
    return session.get_one(Order, order_id)


def order_by_number(session: Session, number: str) -> Order:
    """Returns an order by our number."""
    order = session.scalar(select(Order).where(Order.number == number))
    if order is None:
        raise not_found("order", number)
    return order


def numbers_by_reference(session: Session, references: Collection[str]) -> dict[str, str]:
    """Returns our numbers of orders that were taken by hand or by file, by their references in small
    letters."""
    if not references:
        return {}
    wanted = select(Order.reference, Order.number).where(
        among(Order.reference, references), Order.reference != "", Order.channel_id.is_(None)
    )
    return {reference.casefold(): number for reference, number in session.execute(wanted)}


def order_by_secret(session: Session, secret: str) -> Order:
    """Returns the order whose page a link opens for the customer."""
    order = session.scalar(select(Order).where(Order.secret == secret, Order.secret != ""))
    if order is None:
        raise not_found("order", secret[:12])
    return order


def orders_by_numbers(session: Session, numbers: Collection[str]) -> list[Order]:
    """Returns orders by our numbers; orders that do not exist are left out."""
    return list(
        session.scalars(select(Order).where(among(Order.number, numbers)).order_by(Order.id))
    )


def channel_number_key(number: str) -> str:
    """Returns the key by which a channel's order number is found without regard to case."""
    return number.lower()


def orders_by_channel_number(
    session: Session, channel_id: int, numbers: Collection[str]
) -> dict[str, Order]:
    """Returns the orders of a channel by the keys of the channel's numbers."""
    if not numbers:
        return {}
    wanted = select(Order).where(
        Order.channel_id == channel_id, among(Order.channel_number, numbers)
    )
    return {
        channel_number_key(order.channel_number or ""): order for order in session.scalars(wanted)
    }


@dataclass(frozen=True)
class PromisedRow:
    """Units of a product that are reserved for an order in one warehouse."""

    number: str
    customer: str
    tray: str
    warehouse: str
    quantity: int
    placed_at: datetime


def promised_to(session: Session, product_id: int, *, limit: int = 40) -> list[PromisedRow]:
    """Returns the orders for which units of a product are reserved, the oldest first."""
    statement = (
        select(
            Order.number,
            Order.customer,
            Order.tray,
            Warehouse.name,
            Reservation.quantity,
            Order.placed_at,
        )
        .join(OrderLine, OrderLine.id == Reservation.order_line_id)
        .join(Order, Order.id == OrderLine.order_id)
        .join(Warehouse, Warehouse.id == Reservation.warehouse_id)
        .where(Reservation.product_id == product_id)
        .order_by(Order.placed_at, Order.id)
        .limit(limit)
    )
    return rows_as(PromisedRow, session, statement)


def oversales_of(session: Session, order_id: int) -> dict[int, int]:
    """Returns by product the units that were no longer free when an order came in."""
    rows = session.execute(
        select(Oversale.product_id, Oversale.units).where(Oversale.order_id == order_id)
    )
    return {row.product_id: row.units for row in rows}


def lines_of(session: Session, order_ids: Collection[int]) -> dict[int, list[OrderLine]]:
    """Returns the lines of orders in order, by the order's id."""
    found: dict[int, list[OrderLine]] = {order_id: [] for order_id in order_ids}
    for line in session.scalars(*_lines_in(order_ids)):
        found[line.order_id].append(line)
    return found


@built_once
def _lines_in(order_ids: Collection[int]) -> Select[OrderLine]:
    return select(OrderLine).where(among(OrderLine.order_id, order_ids)).order_by(OrderLine.id)


def reservations_of(session: Session, order_ids: Collection[int]) -> dict[int, list[Reservation]]:
    """Returns the reservations by order line."""
    found: dict[int, list[Reservation]] = {}
    for reservation in session.scalars(*_reserved_for(order_ids)):
        found.setdefault(reservation.order_line_id, []).append(reservation)
    return found


@built_once
def _reserved_for(order_ids: Collection[int]) -> Select[Reservation]:
    of_lines = select(Reservation).join(OrderLine, OrderLine.id == Reservation.order_line_id)
    return of_lines.where(among(OrderLine.order_id, order_ids)).order_by(Reservation.warehouse_id)


def shipments_of(session: Session, order_ids: Collection[int]) -> dict[int, list[Shipment]]:
    """Returns the shipments by order."""
    found: dict[int, list[Shipment]] = {order_id: [] for order_id in order_ids}
    for shipment in session.scalars(*_shipments_for(order_ids)):
        found[shipment.order_id].append(shipment)
    return found


@built_once
def _shipments_for(order_ids: Collection[int]) -> Select[Shipment]:
    return select(Shipment).where(among(Shipment.order_id, order_ids)).order_by(Shipment.id)


def units_in_shipments(session: Session, order_ids: Collection[int]) -> dict[tuple[int, int], int]:
    """Returns the units in open shipments by (order line, warehouse)."""
    rows = bare_rows(session, *_units_under_way(order_ids))
    return {(line_id, warehouse_id): units for line_id, warehouse_id, units in rows}


@built_once
def _units_under_way(order_ids: Collection[int]) -> Select[int, int, int]:
    return (
        select(ShipmentLine.order_line_id, Shipment.warehouse_id, func.sum(ShipmentLine.quantity))
        .join(Shipment, Shipment.id == ShipmentLine.shipment_id)
        .where(among(Shipment.order_id, order_ids), Shipment.state.in_(OPEN_SHIPMENTS))
        .group_by(ShipmentLine.order_line_id, Shipment.warehouse_id)
    )


def line_facts(line: OrderLine, reservations: Sequence[Reservation]) -> LineFacts:
    """Returns a saved order line as the rules see it."""
    return LineFacts(
        quantity=line.quantity,
        stocked=line.stocked,
        reserved=sum(reservation.quantity for reservation in reservations),
        picked=line.picked,
        shipped=line.shipped,
        invoiced=line.invoiced,
        known=line.is_known,
        of_kit=line.part_of is not None,
    )


def progress_of(
    order: Order, lines: Sequence[OrderLine], held: Mapping[int, Sequence[Reservation]]
) -> OrderFacts:
    """Returns the progress of an order from its lines and from what is reserved for each, by line
    ids."""
    return order_facts(
        [line_facts(line, held.get(line.id, ())) for line in lines],
        paid=order.paid,
        total=order.total - order.credited,
    )


def short_orders_wanting(
    session: Session, product_ids: Collection[int], limit: int = 200
) -> list[int]:
    """Returns the orders that are short of one of these products, the oldest first."""
    return list(bare_rows(session, *_short_of(product_ids, limit)).scalars())


@built_once
def _short_of(product_ids: Collection[int], limit: int) -> Select[int]:
    return (
        select(Order.id)
        .join(OrderLine, OrderLine.order_id == Order.id)
        .where(among(OrderLine.product_id, product_ids), Order.cancelled_at.is_(None))
        .where(
            Order.fact_reserved.in_((Extent.NONE, Extent.PART)), Order.fact_shipped != Extent.ALL
        )
        .group_by(Order.id)
        .order_by(Order.placed_at, Order.id)
        .limit(limit)
    )


def short_order_ids(session: Session, limit: int) -> list[int]:
    """Returns the orders that are not reserved in full, the oldest first."""
    wanted = (
        select(Order.id)
        .where(Order.cancelled_at.is_(None), Order.fact_shipped != Extent.ALL)
        .where(Order.fact_reserved.in_((Extent.NONE, Extent.PART)))
        .order_by(Order.placed_at, Order.id)
        .limit(limit)
    )
    return list(session.scalars(wanted))


@dataclass(frozen=True)
class ShipmentRow:
    """A shipment as a list shows it."""

    id: int
    number: str
    state: str
    order: str
    customer: str
    country: str
    warehouse: str
    warehouse_key: str
    units: int
    picked: int
    placed_at: datetime
    dispatched_at: datetime | None


def shipment_rows(
    session: Session,
    *,
    states: Sequence[str] = (),
    order_id: int | None = None,
    warehouse: str = "",
    limit: int = 200,
) -> list[ShipmentRow]:
    """Returns shipments, the oldest first; of those that have left, the newest first."""
    units, picked = func.sum(ShipmentLine.quantity), func.sum(ShipmentLine.picked)
    statement = (
        select(
            Shipment.id,
            Shipment.number,
            Shipment.state,
            Order.number,
            Order.customer,
            part_of(Order.ship_to, "country"),
            Warehouse.name,
            Warehouse.key,
            units,
            picked,
            Order.placed_at,
            Shipment.dispatched_at,
        )
        .join(Order, Order.id == Shipment.order_id)
        .join(Warehouse, Warehouse.id == Shipment.warehouse_id)
        .join(ShipmentLine, ShipmentLine.shipment_id == Shipment.id)
        .group_by(Shipment.id, Order.id, Warehouse.id)
        .order_by(Shipment.id.desc() if "dispatched" in states else Shipment.id)
        .limit(limit)
    )
    if states:
        statement = statement.where(Shipment.state.in_(states))
    if order_id is not None:
        statement = statement.where(Shipment.order_id == order_id)
    if warehouse:
        statement = statement.where(Warehouse.key == warehouse)
    return rows_as(ShipmentRow, session, statement)


def tellings_of_order(
    session: Session, order: Order, parcel_ids: Collection[int], most: int = 20
) -> list[OutboxEntry]:
    """Returns the updates by which a channel was told about its order and about the order's
    parcels, the newest first.
    """
    if order.channel_number is None:
        return []
    subjects = [
        order_subject(order.channel_number),
        *(parcel_subject(parcel_id) for parcel_id in parcel_ids),
    ]
    statement = select(OutboxEntry).where(
        OutboxEntry.subject.in_(subjects),
        OutboxEntry.listing_id.is_(None),
        OutboxEntry.channel_id == order.channel_id,
    )
    return list(session.scalars(statement.order_by(OutboxEntry.id.desc()).limit(most)))
