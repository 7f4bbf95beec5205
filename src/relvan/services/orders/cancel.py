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
from relvan.services.orders.blocks import for_orders, one_after_another
from relvan.services.orders.payments import settle_cancelled
from relvan.services.orders.reserve import free_all
from relvan.services.orders.tell_off import tell_taken_off
from relvan.services.orders.work_out import put_in_tray, work_out_orders
from relvan.services.verdicts import Verdict
from relvan.services.workplace import Actor, Workplace
from relvan.store.database import after_commit
from relvan.store.orders import order_by_id, shipments_of
from relvan.store.picking import is_begun, open_picks, pick_lists, units_picked
from relvan.store.session import Session
from relvan.store.tables import Order, Shipment


def cancel_orders(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Cancels each order and frees its stock. Refused once something has been picked or sent."""
    actor.must(Right.ORDERS)

    def do(session: Session, orders: Sequence[Order]) -> dict[int, str]:
        cancel_all(session, workplace, actor, orders, "cancelled")
        for order in orders:
            tell_taken_off(session, workplace, order)
        return {}

    return for_orders(workplace, numbers, do, OrderDeed.CANCEL)


def cancel_in(
    session: Session, workplace: Workplace, actor: Actor, order: Order, deed: str
) -> None:
    """Cancels one order inside a transaction, as `cancel_all` does."""
    cancel_all(session, workplace, actor, [order], deed)


def cancel_all(
    session: Session, workplace: Workplace, actor: Actor, orders: Sequence[Order], deed: str
) -> None:
    """Cancels inside a transaction: shipments of which nothing is picked are cancelled, their stock
    becomes free, and waiting orders are tried."""
    now = workplace.now()
    shipments = shipments_of(session, [order.id for order in orders])
    for order in orders:
        order.cancelled_at = now
        for shipment in shipments[order.id]:
            if shipment.state in NOT_PICKED_YET and not is_begun(session, shipment.id):
                take_back_shipment_in(session, shipment)
                shipment.state = move(SHIPMENT, shipment.number, shipment.state, "cancel")
            elif shipment.state in WITH_CENTRE:
                shipment.recall = True
                after_commit(session, lambda: workplace.wake(Work.CENTRES, 0))
    freed = free_all(session, workplace, actor, orders)
    settle_cancelled(session, workplace, orders)
    entries: list[tuple[int | None, str, audit.Changes]] = [(one.id, deed, {}) for one in orders]
    audit.record_many(session, actor, now, "order", entries)
    work_out_orders(session, workplace, actor, orders)
    changes_of(session).stock_moved(freed, freed=True)
    for order in orders:
        wish = MailWish(order.id, MailEvent.CANCELLED, f"cancelled:{order.id}")
        changes_of(session).to_mail(wish)


def order_to_send(session: Session, shipment: Shipment) -> Order:
    """Returns the order of a shipment that is to be picked, packed or sent.

    Raises:
        Refused: if the order was cancelled meanwhile.
    """
    order = order_by_id(session, shipment.order_id)
    check_is_sent(order)
    return order


def check_is_sent(order: Order) -> None:
    """Refuses to pick, pack or send anything of an order that is cancelled."""
    if order.cancelled_at is not None:
        message = f"“{order.number}” is cancelled. Nothing more of it is picked, packed or sent."
        raise refuse("cancelled", message, "Put back what was picked of it.")


def move_orders(
    workplace: Workplace, actor: Actor, numbers: Sequence[str], tray: str
) -> list[Verdict]:
    """Moves orders into a tray by hand. The tray *Cancelled* is only reached by cancelling."""
    actor.must(Right.ORDERS)
    allowed = [key for key in workplace.tray_names() if key != Tray.CANCELLED]
    if tray not in allowed:
        message = f"“Tray” must be one of {', '.join(allowed)}; it got “{tray[:30]}”."
        raise refuse("not-allowed", message, "The tray Cancelled is reached by cancelling.", "tray")

    def move_one(session: Session, order: Order) -> None:
        put_in_tray(session, workplace, actor, order, tray)

    return for_orders(workplace, numbers, one_after_another(move_one), OrderDeed.MOVE)


def take_back_shipments(
    workplace: Workplace, actor: Actor, numbers: Sequence[str]
) -> list[Verdict]:
    """Undoes the release of orders: their shipments of which nothing is picked are cancelled; the
    stock stays reserved."""
    actor.must(Right.ORDERS)

    def do(session: Session, orders: Sequence[Order]) -> dict[int, str]:
        shipments = shipments_of(session, [order.id for order in orders])
        for shipment in (one for order in orders for one in shipments[order.id]):
            if shipment.state in NOT_PICKED_YET:
                take_back_shipment_in(session, shipment)
                shipment.state = move(SHIPMENT, shipment.number, shipment.state, "cancel")
        entries: list[tuple[int | None, str, audit.Changes]] = [
            (order.id, "release undone", {}) for order in orders
        ]
        audit.record_many(session, actor, workplace.now(), "order", entries)
        work_out_orders(session, workplace, actor, orders)
        return {}

    return for_orders(workplace, numbers, do, OrderDeed.TAKE_BACK)


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
