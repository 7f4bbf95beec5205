"""Loads what decides which actions on orders are possible, for one order or for a thousand by the
same four queries.
"""

from collections import defaultdict
from collections.abc import Sequence

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from relvan.core.orders.deeds import OrderStanding
from relvan.core.orders.facts import Extent
from relvan.core.orders.policy import Unpaid
from relvan.core.shipping.life import NOT_PICKED_YET, OPEN_SHIPMENTS, ShipmentState
from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.channels import order_policies
from relvan.store.orders import reservations_of, units_in_shipments
from relvan.store.tables import Customer, Order, OrderLine, Shipment, ShipmentLine


def standings_of(session: Session, orders: Sequence[Order]) -> dict[int, OrderStanding]:
    """Returns how orders stand, by their ids."""
    ids = [order.id for order in orders]
    lines = bare_rows(session, *_lines_of(ids)).all()
    unreleased = _unreleased(session, ids, [(line, order) for line, order, _ in lines])
    shipments = _open_shipments(session, ids)
    mailable = _with_address(session, orders)
    touched = {order_id for _, order_id, picked in lines if picked}
    policies = order_policies(session, {order.channel_id for order in orders})
    return {
        order.id: OrderStanding(
            number=order.number,
            reserved=Extent(order.fact_reserved),
            picked=Extent(order.fact_picked),
            shipped=Extent(order.fact_shipped),
            paid=Extent(order.fact_paid),
            invoiced=Extent(order.fact_invoiced),
            must_be_paid=order.channel_id is not None
            and policies[order.channel_id].unpaid != Unpaid.TAKE,
            cancelled=order.cancelled_at is not None,
            touched=order.id in touched,
            mailable=order.id in mailable,
            aside=order.aside_until is not None,
            unreleased=sum(units for _, _, _, units in unreleased[order.id]),
            shipments=len(shipments[order.id]),
            to_hand_over=sum(
                state == ShipmentState.TO_HAND_OVER for state, _ in shipments[order.id]
            ),
            waiting=sum(
                state in NOT_PICKED_YET and not picked for state, picked in shipments[order.id]
            ),
            begun=sum(
                state in NOT_PICKED_YET and picked > 0 for state, picked in shipments[order.id]
            ),
        )
        for order in orders
    }


def _with_address(session: Session, orders: Sequence[Order]) -> set[int]:
    """Returns the orders that have a mail address, or whose customer has one."""
    found = {order.id for order in orders if order.ship_to.get("mail")}
    others = [order for order in orders if order.id not in found and order.customer_id]
    if not others:
        return found
    ids = {order.customer_id for order in others}
    known = set(
        session.scalars(select(Customer.id).where(among(Customer.id, ids), Customer.mail != ""))
    )
    return found | {order.id for order in others if order.customer_id in known}


def unreleased_units(
    session: Session, order_ids: Sequence[int]
) -> dict[int, list[tuple[int, int, int, int]]]:
    """Returns (order line, product, warehouse, units) by order for what is reserved and in no open
    shipment.
    """
    lines = bare_rows(session, *_lines_of(order_ids)).all()
    return _unreleased(session, order_ids, [(line, order) for line, order, _ in lines])


def _unreleased(
    session: Session, order_ids: Sequence[int], lines: Sequence[tuple[int, int]]
) -> dict[int, list[tuple[int, int, int, int]]]:
    in_shipments = units_in_shipments(session, order_ids)
    held = reservations_of(session, order_ids)
    found: dict[int, list[tuple[int, int, int, int]]] = defaultdict(list)
    for line_id, order_id in lines:
        for reservation in held.get(line_id, ()):
            units = reservation.quantity - in_shipments.get((line_id, reservation.warehouse_id), 0)
            if units > 0:
                found[order_id].append(
                    (line_id, reservation.product_id, reservation.warehouse_id, units)
                )
    return found


@built_once
def _lines_of(order_ids: Sequence[int]) -> Select[int, int, int]:
    lines = select(OrderLine.id, OrderLine.order_id, OrderLine.picked)
    return lines.where(among(OrderLine.order_id, order_ids)).order_by(OrderLine.id)


def _open_shipments(session: Session, order_ids: Sequence[int]) -> dict[int, list[tuple[str, int]]]:
    """Returns (state, units picked) of the shipments of orders that have not left, by order."""
    found: dict[int, list[tuple[str, int]]] = defaultdict(list)
    for order_id, state, picked in bare_rows(session, *_picked_in_open(order_ids)):
        found[order_id].append((state, picked))
    return found


@built_once
def _picked_in_open(order_ids: Sequence[int]) -> Select[int, str, int]:
    return (
        select(Shipment.order_id, Shipment.state, func.sum(ShipmentLine.picked))
        .join(ShipmentLine, ShipmentLine.shipment_id == Shipment.id)
        .where(among(Shipment.order_id, order_ids), Shipment.state.in_(OPEN_SHIPMENTS))
        .group_by(Shipment.id)
    )
