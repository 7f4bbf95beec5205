"""Undoes a pick: what was taken is open again, and what a short pick took away comes back."""

from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.shipping.life import PICK_LIST, SHIPMENT, PickListState, ShipmentState, move
from relvan.core.stock.movements import Reason
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.orders.work_out import work_out_orders
from relvan.services.picking.short import take_back_instead
from relvan.services.stock.move import write_movement
from relvan.services.workplace import Actor, Workplace
from relvan.store.dispatch import (
    PickTarget,
    is_packed,
    pick_list_by_id,
    pick_target,
    short_movements,
)
from relvan.store.orders import reservations_of
from relvan.store.session import Session
from relvan.store.stock import balance_row, bin_balance_row
from relvan.store.tables import Movement, Order, Reservation


def undo_pick(workplace: Workplace, actor: Actor, pick_list_id: int, pick_id: int) -> None:
    """Makes a pick open again, as it was before it was recorded. A pick that is open already is
    left as it is.

    Raises:
        Refused: if goods of its shipment are packed, the order was cancelled, or what a short pick
        blocked has been reserved elsewhere or unblocked since.
    """
    actor.must(Right.DISPATCH)
    with workplace.database.writing() as session:
        target = pick_target(session, pick_list_id, pick_id)
        if target.pick.picked is None:
            return
        order = session.get_one(Order, target.shipment.order_id)
        _refuse_if_moved_on(session, target, order)
        missing = target.pick.quantity - target.pick.picked
        if missing:
            given_up = missing - take_back_instead(session, target)
            _give_back(session, workplace, actor, target, given_up)
        target.shipment_line.picked -= target.pick.picked
        target.order_line.picked -= target.pick.picked
        target.pick.picked = target.pick.picked_at = None
        shipment, pick_list = target.shipment, pick_list_by_id(session, pick_list_id)
        if shipment.state != ShipmentState.PICKING:
            shipment.state = move(
                SHIPMENT, f"Shipment {shipment.number}", shipment.state, "pick again"
            )
        if pick_list.state == PickListState.DONE:
            pick_list.state = move(
                PICK_LIST, f"Pick list {pick_list.number}", pick_list.state, "reopen"
            )
            pick_list.finished_at = None
        audit.record(
            session,
            actor,
            workplace.now(),
            audit.Subject("order", order.id),
            f"pick of {target.sku} undone",
        )
        work_out_orders(session, workplace, actor, [order])
        changes_of(session).stock_moved([target.pick.product_id])


def _refuse_if_moved_on(session: Session, target: PickTarget, order: Order) -> None:
    if order.cancelled_at:
        raise refuse(
            "cancelled", f"“{order.number}” is cancelled.", "Its goods stay where they are."
        )
    packed = (ShipmentState.TO_SHIP, ShipmentState.DISPATCHED)
    if target.shipment.state in packed or is_packed(session, target.shipment.id):
        message = f"Goods of shipment {target.shipment.number} are packed already."
        raise refuse("packed", message, "Unpack them first.")


def _give_back(
    session: Session, workplace: Workplace, actor: Actor, target: PickTarget, missing: int
) -> None:
    """Reserves again what a short pick gave up, and unblocks what it blocked in the bin."""
    line = target.order_line
    held = reservations_of(session, [line.order_id]).get(line.id, [])
    open_units = line.quantity - line.shipped - sum(reservation.quantity for reservation in held)
    if open_units < missing:
        message = f"{missing - open_units} of {target.sku} have been reserved elsewhere since."
        raise refuse("moved-on", message, "Free them first, or leave the pick short.")
    for blocked in short_movements(session, target):
        lies = bin_balance_row(session, blocked.bin_id, blocked.product_id)
        if lies.blocked < blocked.blocked:
            message = f"The bin of {target.sku} has been counted since."
            raise refuse("moved-on", message, "Create a new pick list for what was found.")
        write_movement(
            session,
            Movement(
                at=workplace.now(),
                product_id=blocked.product_id,
                warehouse_id=blocked.warehouse_id,
                bin_id=blocked.bin_id,
                reason=Reason.UNDO,
                on_hand=0,
                blocked=-blocked.blocked,
                note=f"undoes a short pick of {target.shipment.number}",
                person_id=actor.person_id,
                shipment_id=target.shipment.id,
                request_key=f"undo:{blocked.id}",
            ),
        )
    if not missing:
        return
    target.shipment_line.quantity += missing
    warehouse_id = target.shipment.warehouse_id
    here = next(
        (reservation for reservation in held if reservation.warehouse_id == warehouse_id), None
    )
    if here is None:
        session.add(
            Reservation(
                order_line_id=line.id,
                product_id=target.pick.product_id,
                warehouse_id=warehouse_id,
                quantity=missing,
            )
        )
    else:
        here.quantity += missing
    balance_row(session, target.pick.product_id, warehouse_id).reserved += missing
    session.flush()
