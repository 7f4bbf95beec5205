"""Cancels orders, moves them between trays, and undoes releases."""

from collections.abc import Sequence

from relvan.core.mail.texts import MailEvent
from relvan.core.orders.deeds import OrderDeed
from relvan.core.orders.trays import Tray
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.shipping.life import (
    NOT_PICKED_YET,
    PICK_LIST,
    SHIPMENT,
    WITH_CENTRE,
    ShipmentState,
    move,
)
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.changes import MailWish, changes_of
from relvan.services.orders.reserve import answer_for, free_in
from relvan.services.orders.tell_off import tell_taken_off
from relvan.services.orders.work_out import put_in_tray, work_out_orders
from relvan.services.verdicts import Verdict, for_each
from relvan.services.workplace import Actor, Workplace
from relvan.store.database import after_commit
from relvan.store.orders import order_by_id, order_by_number, shipments_of
from relvan.store.picking import is_begun, open_picks, pick_lists, units_picked
from relvan.store.session import Session
from relvan.store.tables import Order, Shipment


def cancel_orders(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Cancels each order and frees its stock. Refused once something has been picked or sent."""
    actor.must(Right.ORDERS)

    def deed(session: Session, number: str) -> None:
        order = order_by_number(session, number)
        if answer_for(session, order, OrderDeed.CANCEL).does:
            cancel_in(session, workplace, actor, order, "cancelled")
            tell_taken_off(session, workplace, order)

    return for_each(workplace, numbers, deed)


def cancel_in(
    session: Session, workplace: Workplace, actor: Actor, order: Order, deed: str
) -> None:
    """Cancels inside a transaction: shipments of which nothing is picked are cancelled, their stock
    becomes free, and waiting orders are tried."""
    order.cancelled_at = workplace.now()
    for shipment in shipments_of(session, [order.id])[order.id]:
        if shipment.state in NOT_PICKED_YET and not is_begun(session, shipment.id):
            take_back_shipment_in(session, shipment)
            shipment.state = move(SHIPMENT, shipment.number, shipment.state, "cancel")
        elif shipment.state in WITH_CENTRE:
            shipment.recall = True
            after_commit(session, lambda: workplace.wake(Work.CENTRES, 0))
    freed = free_in(session, workplace, actor, order)
    audit.record(session, actor, workplace.now(), audit.Subject("order", order.id), deed)
    work_out_orders(session, workplace, actor, [order])
    changes_of(session).stock_moved(freed, freed=True)
    wish = MailWish(order.id, MailEvent.CANCELLED, f"cancelled:{order.id}")
    changes_of(session).to_mail(wish)


def order_to_send(session: Session, shipment: Shipment) -> Order:
    """Returns the order of a shipment that is to be picked, packed or sent.

    Raises:
        Refused: if the order was cancelled meanwhile.
    """
    order = order_by_id(session, shipment.order_id)
    if order.cancelled_at is not None:
        message = f"“{order.number}” is cancelled. Nothing more of it is picked, packed or sent."
        raise refuse("cancelled", message, "Put back what was picked of it.")
    return order


def move_orders(
    workplace: Workplace, actor: Actor, numbers: Sequence[str], tray: str
) -> list[Verdict]:
    """Moves orders into a tray by hand. The tray *Cancelled* is only reached by cancelling."""
    actor.must(Right.ORDERS)
    allowed = [key for key in workplace.tray_names() if key != Tray.CANCELLED]
    if tray not in allowed:
        message = f"“Tray” must be one of {', '.join(allowed)}; it got “{tray[:30]}”."
        raise refuse("not-allowed", message, "The tray Cancelled is reached by cancelling.", "tray")

    def deed(session: Session, number: str) -> None:
        order = order_by_number(session, number)
        answer_for(session, order, OrderDeed.MOVE)
        put_in_tray(session, workplace, actor, order, tray)

    return for_each(workplace, numbers, deed)


def take_back_shipments(
    workplace: Workplace, actor: Actor, numbers: Sequence[str]
) -> list[Verdict]:
    """Undoes the release of orders: their shipments of which nothing is picked are cancelled; the
    stock stays reserved."""
    actor.must(Right.ORDERS)

    def deed(session: Session, number: str) -> None:
        order = order_by_number(session, number)
        answer_for(session, order, OrderDeed.TAKE_BACK)
        for shipment in shipments_of(session, [order.id])[order.id]:
            if shipment.state not in NOT_PICKED_YET:
                continue
            take_back_shipment_in(session, shipment)
            shipment.state = move(SHIPMENT, shipment.number, shipment.state, "cancel")
        audit.record(
            session, actor, workplace.now(), audit.Subject("order", order.id), "release undone"
        )
        work_out_orders(session, workplace, actor, [order])

    return for_each(workplace, numbers, deed)


def take_back_shipment_in(session: Session, shipment: Shipment) -> None:
    """Takes a shipment off its pick list when it is on one; the pick list goes on without it."""
    if shipment.state != ShipmentState.PICKING:
        return
    picks = open_picks(session, shipment.id)
    lists = {pick.pick_list_id for pick in picks}
    for pick in picks:
        session.delete(pick)
    session.flush()
    shipment.state = move(SHIPMENT, shipment.number, shipment.state, "unlist")
    for pick_list in pick_lists(session, lists):
        left = units_picked(session, pick_list.id)
        if None not in left:
            pick_list.state = move(
                PICK_LIST, pick_list.number, pick_list.state, "finish" if left else "cancel"
            )
    session.flush()
