"""Cancelling orders, moving them between trays, and taking a released shipment back."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.orders.deeds import OrderDeed
from relvan.core.orders.trays import CHOSEN_BY_HAND, Tray
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.shipping.life import PICK_LIST, SHIPMENT, move
from relvan.services import audit
from relvan.services.listings.quantities import refresh_quantities
from relvan.services.orders.reserve import answer_for, free_in, retry_short_orders
from relvan.services.orders.work_out import put_in_tray, work_out_orders
from relvan.services.verdicts import Verdict, for_each
from relvan.services.workplace import Actor, Workplace
from relvan.store.order_standing import NOT_PICKED_YET
from relvan.store.orders import order_by_number, shipments_of
from relvan.store.tables import Order, Pick, PickList, Shipment, ShipmentLine


def cancel_orders(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Cancel each order and free its stock. Refused once something has been picked or sent."""
    actor.must(Right.ORDERS)

    def deed(session: Session, number: str) -> None:
        order = order_by_number(session, number)
        if answer_for(session, order, OrderDeed.CANCEL).does:
            cancel_in(session, workplace, actor, order, "cancelled")

    return for_each(workplace, numbers, deed)


def cancel_in(session: Session, workplace: Workplace, actor: Actor, order: Order, deed: str) -> None:
    """Cancel inside a transaction: shipments nobody has picked go, stock comes free, waiting orders are tried."""
    order.cancelled_at = workplace.now()
    for shipment in shipments_of(session, [order.id])[order.id]:
        if shipment.state in NOT_PICKED_YET and not _picked(session, shipment):
            take_back_shipment_in(session, shipment)
            shipment.state = move(SHIPMENT, shipment.number, shipment.state, "cancel")
    freed = free_in(session, workplace, actor, order)
    audit.record(session, actor, workplace.now(), "order", order.id, deed)
    work_out_orders(session, workplace, actor, [order])
    refresh_quantities(session, workplace, product_ids=freed)
    retry_short_orders(session, workplace, freed)


def move_orders(workplace: Workplace, actor: Actor, numbers: Sequence[str], tray: str) -> list[Verdict]:
    """Put orders into a tray by hand. Cancelled is reached by cancelling only."""
    actor.must(Right.ORDERS)
    if tray not in CHOSEN_BY_HAND:
        allowed = ", ".join(CHOSEN_BY_HAND)
        raise refuse("not-allowed", f"“Tray” must be one of {allowed}; it got “{tray[:30]}”.", "", "tray")

    def deed(session: Session, number: str) -> None:
        order = order_by_number(session, number)
        answer_for(session, order, OrderDeed.MOVE)
        put_in_tray(session, workplace, actor, order, Tray(tray))

    return for_each(workplace, numbers, deed)


def take_back_shipments(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Undo the release of orders: their shipments that nobody has picked are cancelled, the stock stays reserved."""
    actor.must(Right.ORDERS)

    def deed(session: Session, number: str) -> None:
        order = order_by_number(session, number)
        answer_for(session, order, OrderDeed.TAKE_BACK)
        for shipment in shipments_of(session, [order.id])[order.id]:
            if shipment.state not in NOT_PICKED_YET:
                continue
            take_back_shipment_in(session, shipment)
            shipment.state = move(SHIPMENT, shipment.number, shipment.state, "cancel")
        audit.record(session, actor, workplace.now(), "order", order.id, "release taken back")
        work_out_orders(session, workplace, actor, [order])

    return for_each(workplace, numbers, deed)


def take_back_shipment_in(session: Session, shipment: Shipment) -> None:
    """Take a shipment off its pick list when it is on one; the walk goes on without it."""
    if shipment.state != "picking":
        return
    picks = session.scalars(
        select(Pick)
        .join(ShipmentLine, ShipmentLine.id == Pick.shipment_line_id)
        .where(ShipmentLine.shipment_id == shipment.id, Pick.picked.is_(None))
    ).all()
    lists = {pick.pick_list_id for pick in picks}
    for pick in picks:
        session.delete(pick)
    session.flush()
    shipment.state = move(SHIPMENT, shipment.number, shipment.state, "unlist")
    for pick_list in session.scalars(select(PickList).where(PickList.id.in_(lists))):
        left = session.scalars(select(Pick.picked).where(Pick.pick_list_id == pick_list.id)).all()
        if None not in left:
            pick_list.state = move(PICK_LIST, pick_list.number, pick_list.state, "finish" if left else "cancel")
    session.flush()


def _picked(session: Session, shipment: Shipment) -> bool:
    statement = select(ShipmentLine.id).where(ShipmentLine.shipment_id == shipment.id, ShipmentLine.picked > 0)
    return session.scalar(statement.limit(1)) is not None
