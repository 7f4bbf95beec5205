"""Releases orders to the warehouse: each becomes a shipment for every warehouse from which its
stock is promised."""

from collections.abc import Sequence

from relvan.core.orders.deeds import OrderDeed
from relvan.core.orders.rules import RuleEvent
from relvan.core.people.roles import Right
from relvan.core.setup.numbering import Series
from relvan.core.setup.warehouses import WarehouseKind
from relvan.core.shipping.life import ShipmentState
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.counters import next_number
from relvan.services.orders.reserve import (
    Reserving,
    answer_for,
    part_answer,
    plan_reservations,
    reserve_all,
)
from relvan.services.orders.work_out import work_out_orders
from relvan.services.verdicts import Verdict, for_each
from relvan.services.workplace import Actor, Workplace
from relvan.store.database import after_commit
from relvan.store.order_standing import standings_of, unreleased_units
from relvan.store.orders import order_by_number
from relvan.store.session import Session
from relvan.store.stock import warehouse_by_id
from relvan.store.tables import Order, Shipment, ShipmentLine


def release_orders(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Releases each order; returns a verdict for each. Releasing twice changes nothing the second
    time."""
    actor.must(Right.ORDERS)

    def deed(session: Session, number: str) -> str:
        order = order_by_number(session, number)
        answer = answer_for(session, order, OrderDeed.RELEASE)
        return release_in(session, workplace, actor, order) if answer.does else ""

    return for_each(workplace, numbers, deed)


def release_parts(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Reserves of each order what there is and releases that; the rest waits for stock. Returns a
    verdict for each."""
    actor.must(Right.ORDERS)

    def deed(session: Session, number: str) -> str:
        order = order_by_number(session, number)
        if not answer_for(session, order, OrderDeed.RELEASE_PART).does:
            return ""
        standing = standings_of(session, [order])[order.id]
        plan = plan_reservations(session, [order], part=True).plans[order.id]
        answer = part_answer(session, order, standing, plan)
        answer.raise_if_refused()
        if not answer.does:
            return ""
        reserve_all(session, workplace, actor, [order], Reserving(part=True))
        return release_in(session, workplace, actor, order)

    return for_each(workplace, numbers, deed)


def release_in(
    session: Session, workplace: Workplace, actor: Actor, order: Order, *, only: int = 0
) -> str:
    """Creates a shipment for every warehouse in which units of the order are reserved, or for `only`
    one of them; returns the numbers of the shipments. What a marketplace's centre sends is not picked
    here, but handed over."""
    by_warehouse: dict[int, list[tuple[int, int, int]]] = {}
    for line_id, product_id, warehouse_id, units in unreleased_units(session, [order.id])[order.id]:
        if only in (0, warehouse_id):
            by_warehouse.setdefault(warehouse_id, []).append((line_id, product_id, units))
    made = []
    for warehouse_id, lines in by_warehouse.items():
        shipment = Shipment(
            number=next_number(session, Series.SHIPMENT, workplace.local_now()),
            order_id=order.id,
            warehouse_id=warehouse_id,
            state=_first_state(session, workplace, warehouse_id),
            created_at=workplace.now(),
        )
        session.add(shipment)
        session.flush()
        for line_id, product_id, units in lines:
            session.add(
                ShipmentLine(
                    shipment_id=shipment.id,
                    order_line_id=line_id,
                    product_id=product_id,
                    quantity=units,
                )
            )
        made.append(shipment.number)
    audit.record(
        session,
        actor,
        workplace.now(),
        audit.Subject("order", order.id),
        f"released as {', '.join(made)}",
    )
    changes_of(session).happened(order.id, RuleEvent.RELEASED)
    work_out_orders(session, workplace, actor, [order])
    return ", ".join(made)


def _first_state(session: Session, workplace: Workplace, warehouse_id: int) -> ShipmentState:
    place = warehouse_by_id(session, warehouse_id)
    if place.kind != WarehouseKind.CENTRE or not place.centre:
        return ShipmentState.TO_PICK
    after_commit(session, lambda: workplace.wake(Work.CENTRES, 0))
    return ShipmentState.TO_HAND_OVER
