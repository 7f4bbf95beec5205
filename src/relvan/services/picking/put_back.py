"""Puts picked goods of a cancelled order back: its shipment ends, and its stock becomes free."""

from collections.abc import Sequence

from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.shipping.life import (
    OPEN_SHIPMENTS,
    PICK_LIST,
    SHIPMENT,
    PickListState,
    ShipmentState,
    move,
)
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.orders.line_changes import take_off_open
from relvan.services.orders.payments import any_shipped
from relvan.services.orders.reserve import free_in
from relvan.services.orders.work_out import work_out_orders
from relvan.services.workplace import Actor, Workplace
from relvan.store.dispatch import (
    forget_contents,
    parcels_of,
    shipment_by_id,
    shipment_lines,
)
from relvan.store.notices import add_notice
from relvan.store.orders import lines_of, order_by_id
from relvan.store.picking import open_picks, pick_lists, units_picked
from relvan.store.session import Session
from relvan.store.tables import Order, OrderLine, Shipment


def put_back(workplace: Workplace, actor: Actor, shipment_id: int) -> None:
    """Ends a shipment of a cancelled order, once its goods lie in their bins again. A parcel that has
    a label stays as a record, without contents. Repeated, it changes nothing.

    Raises:
        Refused: if the order is not cancelled, or the shipment has left.
    """
    actor.must(Right.DISPATCH)
    with workplace.database.writing() as session:
        shipment = shipment_by_id(session, shipment_id)
        order = order_by_id(session, shipment.order_id)
        if shipment.state != ShipmentState.CANCELLED:
            put_back_in(session, workplace, actor, order, [shipment])


def put_back_in(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    order: Order,
    shipments: Sequence[Shipment],
) -> None:
    """Ends shipments of a cancelled order inside a transaction, as `put_back` does. Where other goods
    of the order have left, what was put back is no part of it any more."""
    for shipment in shipments:
        if order.cancelled_at is None:
            message = f"“{order.number}” is not cancelled."
            raise refuse("not-cancelled", message, "Undo its picks on the pick list instead.")
        if shipment.state not in OPEN_SHIPMENTS:
            message = f"Shipment {shipment.number} has left."
            raise refuse("dispatched", message, "Take it back as a return.")
        _end_picks(session, workplace, shipment)
        units = _unpick(session, shipment)
        _tell_of_labels(session, workplace, shipment)
        forget_contents(session, shipment.id)
        shipment.state = move(SHIPMENT, shipment.number, shipment.state, "put back")
        deed = f"{shipment.number}: {units} {'unit' if units == 1 else 'units'} put back"
        subject = audit.Subject("order", order.id)
        audit.record(session, actor, workplace.now(), subject, deed)
    session.flush()
    freed = free_in(session, workplace, actor, order)
    if any_shipped(lines_of(session, [order.id])[order.id]):
        take_off_open(session, workplace, actor, order)
    work_out_orders(session, workplace, actor, [order])
    changes_of(session).stock_moved(freed, freed=True)


def _tell_of_labels(session: Session, workplace: Workplace, shipment: Shipment) -> None:
    """Lays before the team that labels were bought for goods that do not leave."""
    for parcel in parcels_of(session, shipment.id):
        if parcel.tracking_number and parcel.carrier_id:
            words = (
                f"The label {parcel.tracking_number} of {shipment.number} is not used any more. "
                "Void it on the page of the shipment."
            )
            add_notice(session, shipment.order_id, words, workplace.now())


def _end_picks(session: Session, workplace: Workplace, shipment: Shipment) -> None:
    """Takes what is not picked yet off the pick lists; a list with nothing left is done."""
    picks = open_picks(session, shipment.id)
    lists = {pick.pick_list_id for pick in picks}
    for pick in picks:
        session.delete(pick)
    session.flush()
    for pick_list in pick_lists(session, lists):
        if None not in units_picked(session, pick_list.id) and (
            pick_list.state == PickListState.OPEN
        ):
            pick_list.state = move(PICK_LIST, pick_list.number, pick_list.state, "finish")
            pick_list.finished_at = workplace.now()


def _unpick(session: Session, shipment: Shipment) -> int:
    """Sets what is picked of a shipment to nothing; returns how many units that were."""
    units = 0
    for line in shipment_lines(session, [shipment.id]):
        session.get_one(OrderLine, line.order_line_id).picked -= line.picked
        units += line.picked
        line.picked = 0
    return units
