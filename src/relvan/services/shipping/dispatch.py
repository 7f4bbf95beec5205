"""Sends shipments off: stock leaves by movements, promises end, and order and channel get the
tracking number."""

from collections.abc import Sequence

from relvan.core.channels.sending import Topic, topic_urgency
from relvan.core.channels.subject import parcel_subject
from relvan.core.mail.texts import MailEvent
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.shipping.life import SHIPMENT, ShipmentState, move
from relvan.core.stock.movements import Reason
from relvan.services import audit
from relvan.services.changes import MailWish, changes_of
from relvan.services.orders.cancel import order_to_send
from relvan.services.orders.reserve import lower_reservation
from relvan.services.orders.work_out import work_out_orders
from relvan.services.outbox.tell import Telling, tell
from relvan.services.stock.move import write_movement
from relvan.services.verdicts import Verdict, for_each
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_is_connected
from relvan.store.dispatch import carrier_names, parcels_of, shipment_by_id, shipment_lines
from relvan.store.order_lines import reservation_at
from relvan.store.picking import taken_picks
from relvan.store.session import Session
from relvan.store.stock import places_of, usual_bin
from relvan.store.tables import (
    Movement,
    Order,
    OrderLine,
    Parcel,
    Shipment,
    ShipmentLine,
)
from relvan.store.trays import add_notice


def dispatch_shipments(
    workplace: Workplace, actor: Actor, shipment_ids: Sequence[int]
) -> list[Verdict]:
    """Sends off each shipment whose parcels all have labels; one that has left already is left
    alone."""
    actor.must(Right.DISPATCH)

    def deed(session: Session, shipment_id: str) -> None:
        shipment = shipment_by_id(session, int(shipment_id))
        if shipment.state != ShipmentState.DISPATCHED:
            _dispatch(session, workplace, actor, shipment)

    return for_each(workplace, map(str, shipment_ids), deed)


def _dispatch(session: Session, workplace: Workplace, actor: Actor, shipment: Shipment) -> None:
    order = order_to_send(session, shipment)
    parcels = parcels_of(session, shipment.id)
    if shipment.state == ShipmentState.TO_SHIP and not all(
        parcel.tracking_number for parcel in parcels
    ):
        raise refuse(
            "no-label",
            f"Shipment {shipment.number} has a parcel without a label.",
            "Buy its label first.",
        )
    _leave(session, workplace, actor, shipment)
    _gone(session, workplace, actor, shipment, order)


def _gone(
    session: Session, workplace: Workplace, actor: Actor, shipment: Shipment, order: Order
) -> None:
    """Ends the promises of a shipment that has left; order, channel and customer are told."""
    parcels = parcels_of(session, shipment.id)
    shipment.state = move(SHIPMENT, f"Shipment {shipment.number}", shipment.state, "dispatch")
    shipment.dispatched_at = workplace.now()
    lines = shipment_lines(session, [shipment.id])
    for line in lines:
        _end_promise(session, shipment, line)
    audit.record(
        session,
        actor,
        workplace.now(),
        audit.Subject("order", order.id),
        f"{shipment.number} dispatched",
    )
    work_out_orders(session, workplace, actor, [order])
    changes_of(session).stock_moved({line.product_id for line in lines})
    _tell_tracking(session, workplace, order, parcels)
    key = f"{MailEvent.SHIPPED}:{shipment.number}"
    wish = MailWish(order.id, MailEvent.SHIPPED, key, paper=str(shipment.id))
    changes_of(session).to_mail(wish)


def send_off(session: Session, workplace: Workplace, actor: Actor, shipment: Shipment) -> None:
    """Notes inside a transaction that a marketplace's centre has sent a shipment, whether the
    order was cancelled meanwhile or not; its units count as picked since it was handed over."""
    for line in shipment_lines(session, [shipment.id]):
        taken = _from_bins(session, workplace, actor, shipment, line)
        _take_out(session, workplace, actor, shipment, taken)
    order = session.get_one(Order, shipment.order_id)
    if order.cancelled_at is not None:
        words = f"{shipment.number} left the centre after the order was cancelled."
        add_notice(session, order.id, words, workplace.now())
    _gone(session, workplace, actor, shipment, order)


def _from_bins(
    session: Session, workplace: Workplace, actor: Actor, shipment: Shipment, line: ShipmentLine
) -> list[tuple[int, int, int]]:
    """Returns from which bins of a centre the units of a line left, as (product, bin, units), the
    fullest bin first. What the centre sent beyond what was known to lie there is counted in before,
    and laid before the team."""
    product_id, left = line.product_id, line.quantity
    places = places_of(session, shipment.warehouse_id, [product_id]).get(product_id, [])
    taken = []
    for place in sorted(places, key=lambda one: -one.there):
        units = min(left, place.there)
        if units:
            taken.append((product_id, place.bin, units))
            left -= units
    if left:
        usual = usual_bin(session, product_id, shipment.warehouse_id)
        assert usual is not None
        found = _movement(workplace, actor, shipment, (product_id, usual.id, left), Reason.COUNT)
        write_movement(session, found)
        taken.append((product_id, usual.id, left))
        words = f"The centre sent {left} more with {shipment.number} than were known to lie there."
        add_notice(session, shipment.order_id, words, workplace.now())
    return taken


def _leave(session: Session, workplace: Workplace, actor: Actor, shipment: Shipment) -> None:
    """Takes the goods out of the bins that they were picked from."""
    taken = []
    for pick in taken_picks(session, shipment.id):
        assert pick.bin_id is not None
        assert pick.picked is not None
        taken.append((pick.product_id, pick.bin_id, pick.picked))
    _take_out(session, workplace, actor, shipment, taken)


def _take_out(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    shipment: Shipment,
    taken: Sequence[tuple[int, int, int]],
) -> None:
    """Lets goods of a shipment, given as (product, bin, units), leave the stock."""
    for product_id, bin_id, units in taken:
        gone = (product_id, bin_id, -units)
        write_movement(session, _movement(workplace, actor, shipment, gone, Reason.DISPATCH))


def _movement(
    workplace: Workplace,
    actor: Actor,
    shipment: Shipment,
    what: tuple[int, int, int],
    reason: Reason,
) -> Movement:
    """Returns a movement of units of a product in a bin, given as (product, bin, units), for a
    shipment."""
    product_id, bin_id, units = what
    return Movement(
        at=workplace.now(),
        product_id=product_id,
        warehouse_id=shipment.warehouse_id,
        bin_id=bin_id,
        reason=reason,
        on_hand=units,
        blocked=0,
        note=shipment.number,
        person_id=actor.person_id,
        shipment_id=shipment.id,
    )


def _end_promise(session: Session, shipment: Shipment, line: ShipmentLine) -> None:
    if not line.picked:
        return
    reservation = reservation_at(session, line.order_line_id, shipment.warehouse_id)
    if reservation is not None:
        lower_reservation(session, reservation, min(line.picked, reservation.quantity))
    session.get_one(OrderLine, line.order_line_id).shipped += line.picked


def _tell_tracking(
    session: Session, workplace: Workplace, order: Order, parcels: Sequence[Parcel]
) -> None:
    if order.channel_id is None:
        return
    if not channel_is_connected(session, order.channel_id):
        return  # its page says that a person must tell the channel
    names = carrier_names(session)
    tell(
        session,
        workplace,
        [
            Telling(
                order.channel_id,
                parcel_subject(parcel.id),
                Topic.TRACKING,
                topic_urgency(Topic.TRACKING),
                payload={
                    "number": order.channel_number,
                    "carrier": names.get(parcel.carrier_id or 0) or parcel.service,
                    "tracking_number": parcel.tracking_number,
                },
            )
            for parcel in parcels
        ],
    )
