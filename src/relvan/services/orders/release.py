"""Releases orders to the warehouse: each becomes a shipment for every warehouse from which its
stock is promised."""

from collections.abc import Sequence

from relvan.core.orders.deeds import OrderDeed
from relvan.core.orders.rules import RuleEvent
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused
from relvan.core.setup.numbering import Series
from relvan.core.setup.warehouses import WarehouseKind
from relvan.core.shipping.life import ShipmentState
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.counters import next_numbers
from relvan.services.orders.blocks import for_orders
from relvan.services.orders.plan import plan_reservations
from relvan.services.orders.reserve import (
    Reserving,
    part_answer,
    reserve_all,
)
from relvan.services.orders.work_out import work_out_orders
from relvan.services.verdicts import Verdict
from relvan.services.workplace import Actor, Workplace
from relvan.store.database import after_commit
from relvan.store.ids import add_together
from relvan.store.order_standing import standings_of, unreleased_units
from relvan.store.session import Session
from relvan.store.stock import warehouse_by_id
from relvan.store.tables import Order, Shipment, ShipmentLine


def release_orders(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Releases each order; returns a verdict for each. Releasing twice changes nothing the second
    time."""
    actor.must(Right.ORDERS)

    def do(session: Session, orders: Sequence[Order]) -> dict[int, str]:
        return release_all(session, workplace, actor, orders)

    return for_orders(workplace, numbers, do, OrderDeed.RELEASE)


def release_parts(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Reserves of each order what there is and releases that; the rest waits for stock. Returns a
    verdict for each."""
    actor.must(Right.ORDERS)

    def do(session: Session, orders: Sequence[Order]) -> dict[int, str | Refused]:
        standings = standings_of(session, orders)
        plans = plan_reservations(session, orders, part=True).plans
        answers: dict[int, str | Refused] = {}
        ready = []
        for order in orders:
            answer = part_answer(session, order, standings[order.id], plans[order.id])
            try:
                answer.raise_if_refused()
            except Refused as refused:
                answers[order.id] = refused
                continue
            if answer.does:
                ready.append(order)
        if ready:
            reserve_all(session, workplace, actor, ready, Reserving(part=True))
        return answers | release_all(session, workplace, actor, ready)

    return for_orders(workplace, numbers, do, OrderDeed.RELEASE_PART)


def release_in(
    session: Session, workplace: Workplace, actor: Actor, order: Order, *, only: int = 0
) -> str:
    """Releases one order inside a transaction, as `release_all` does; returns the numbers of its
    shipments."""
    return release_all(session, workplace, actor, [order], only=only)[order.id]


def release_all(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    orders: Sequence[Order],
    *,
    only: int = 0,
) -> dict[int, str]:
    """Creates a shipment for every warehouse in which units of an order are reserved, or for `only`
    one of them; returns the numbers of the shipments by order. What a marketplace's centre sends is
    not picked here, but handed over."""
    if not orders:
        return {}
    now = workplace.now()
    shipments = _shipments_of(session, workplace, orders, only)
    numbers = iter(
        next_numbers(session, Series.SHIPMENT, len(shipments), workplace.local_now())
        if shipments
        else ()
    )
    for shipment, _ in shipments:
        shipment.number = next(numbers)
    add_together(session, [shipment for shipment, _ in shipments])
    for shipment, lines in shipments:
        for line in lines:
            line.shipment_id = shipment.id
    add_together(session, [line for _, lines in shipments for line in lines])
    made: dict[int, list[str]] = {order.id: [] for order in orders}
    for shipment, _ in shipments:
        made[shipment.order_id].append(shipment.number)
    told = {order_id: ", ".join(found) for order_id, found in made.items()}
    entries: list[tuple[int | None, str, audit.Changes]] = [
        (order_id, f"released as {found}", {}) for order_id, found in told.items()
    ]
    audit.record_many(session, actor, now, "order", entries)
    for order in orders:
        changes_of(session).happened(order.id, RuleEvent.RELEASED)
    work_out_orders(session, workplace, actor, orders)
    return told


def _shipments_of(
    session: Session, workplace: Workplace, orders: Sequence[Order], only: int
) -> list[tuple[Shipment, list[ShipmentLine]]]:
    """Returns new shipments without number, each with its lines."""
    unreleased = unreleased_units(session, [order.id for order in orders])
    found: list[tuple[Shipment, list[ShipmentLine]]] = []
    states: dict[int, ShipmentState] = {}
    for order in orders:
        by_warehouse: dict[int, list[ShipmentLine]] = {}
        for line_id, product_id, warehouse_id, units in unreleased[order.id]:
            if only in (0, warehouse_id):
                line = ShipmentLine(order_line_id=line_id, product_id=product_id, quantity=units)
                by_warehouse.setdefault(warehouse_id, []).append(line)
        for warehouse_id, lines in by_warehouse.items():
            if warehouse_id not in states:
                states[warehouse_id] = _first_state(session, workplace, warehouse_id)
            shipment = Shipment(
                order_id=order.id,
                warehouse_id=warehouse_id,
                state=states[warehouse_id],
                created_at=workplace.now(),
            )
            found.append((shipment, lines))
    return found


def _first_state(session: Session, workplace: Workplace, warehouse_id: int) -> ShipmentState:
    place = warehouse_by_id(session, warehouse_id)
    if place.kind != WarehouseKind.CENTRE or not place.centre:
        return ShipmentState.TO_PICK
    after_commit(session, lambda: workplace.wake(Work.CENTRES, 0))
    return ShipmentState.TO_HAND_OVER
