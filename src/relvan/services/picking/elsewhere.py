"""What was not found in one warehouse, and is sent from another one of the channel's supply list."""

from dataclasses import dataclass

from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.orders.reroute import free_there, promise_at
from relvan.services.orders.work_out import work_out_orders
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import supply_lists_of
from relvan.store.dispatch import PickTarget, pick_target
from relvan.store.orders import reservations_of
from relvan.store.picking import short_picks
from relvan.store.session import Session
from relvan.store.stock import warehouse_by_id, warehouse_by_key
from relvan.store.tables import Order


@dataclass(frozen=True)
class Elsewhere:
    """Units of a short pick that are promised from nowhere, and another warehouse that has some."""

    pick_id: int
    sku: str
    lacking: int
    warehouse: str
    name: str
    units: int


def found_elsewhere(session: Session, pick_list_id: int) -> list[Elsewhere]:
    """Returns what short picks of a list lack and other warehouses have."""
    found = []
    for pick_id in short_picks(session, pick_list_id):
        target = pick_target(session, pick_list_id, pick_id)
        lacking = _lacking(session, target)
        for warehouse_id in _others(session, target) if lacking else ():
            free = max(0, free_there(session, target.pick.product_id, warehouse_id))
            place = warehouse_by_id(session, warehouse_id)
            if free:
                units = min(free, lacking)
                here = Elsewhere(pick_id, target.sku, lacking, place.key, place.name, units)
                found.append(here)
    return found


def send_from_elsewhere(
    workplace: Workplace, actor: Actor, pick_list_id: int, pick_id: int, warehouse: str
) -> int:
    """Promises what a short pick lacks from another warehouse; returns how many units that is. Repeated,
    it finds nothing more to promise.

    Raises:
        Refused: if the warehouse does not serve the order, or has none of it.
    """
    actor.must(Right.DISPATCH)
    with workplace.database.writing() as session:
        target = pick_target(session, pick_list_id, pick_id)
        place = warehouse_by_key(session, warehouse)
        if place.id not in _others(session, target):
            message = f"{place.name} does not serve this order."
            raise refuse("not-allowed", message, "Choose another warehouse.", "warehouse")
        lacking = _lacking(session, target)
        if not lacking:
            return 0
        units = min(lacking, max(0, free_there(session, target.pick.product_id, place.id)))
        if not units:
            message = f"None of {target.sku} is free in {place.name}."
            raise refuse("short", message, "Choose another warehouse.", "warehouse")
        promise_at(session, target.order_line, place, units)
        order = session.get_one(Order, target.shipment.order_id)
        deed = f"{units} of {target.sku} that were not found leave from {place.name}"
        audit.record(session, actor, workplace.now(), audit.Subject("order", order.id), deed)
        work_out_orders(session, workplace, actor, [order])
        changes_of(session).stock_moved([target.pick.product_id])
        return units


def _lacking(session: Session, target: PickTarget) -> int:
    """Returns how many units of the order line of a short pick are promised from nowhere, as far as this
    pick did not find them."""
    pick, line = target.pick, target.order_line
    if pick.picked is None or pick.picked >= pick.quantity:
        return 0
    held = reservations_of(session, [line.order_id]).get(line.id, [])
    nowhere = line.quantity - line.shipped - sum(one.quantity for one in held)
    return max(0, min(pick.quantity - pick.picked, nowhere))


def _others(session: Session, target: PickTarget) -> list[int]:
    order = session.get_one(Order, target.shipment.order_id)
    supply = supply_lists_of(session, {order.channel_id})[order.channel_id]
    only = order.warehouse_id
    here = target.shipment.warehouse_id
    return [one for one in supply if one != here and only in (None, one)]
