"""Sends shipments off: stock leaves by movements, promises end, and order and channel get the
tracking number."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from relvan.core.channels.sending import Topic, topic_urgency
from relvan.core.channels.subject import parcel_subject
from relvan.core.mail.texts import MailEvent
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, not_found, refuse
from relvan.core.shipping.life import SHIPMENT, ShipmentState, move
from relvan.core.stock.movements import Reason
from relvan.services import audit
from relvan.services.changes import MailWish, changes_of
from relvan.services.orders.cancel import check_is_sent
from relvan.services.orders.reserve import lower_reservations
from relvan.services.orders.work_out import work_out_orders
from relvan.services.outbox.tell import Telling, tell
from relvan.services.stock.move import write_movement, write_movements
from relvan.services.verdicts import Verdict, for_blocks
from relvan.services.workplace import Actor, Workplace
from relvan.store.carriage import parcels_of_many
from relvan.store.channels import channel_is_connected
from relvan.store.dispatch import carrier_names, parcels_of, shipment_lines, shipments_by_id
from relvan.store.goods_places import first_bin
from relvan.store.notices import add_notice
from relvan.store.order_lines import orders_by_id
from relvan.store.orders import lines_of, reservations_of
from relvan.store.picking import units_taken
from relvan.store.session import Session
from relvan.store.stock import places_of
from relvan.store.tables import (
    Movement,
    Order,
    Parcel,
    Reservation,
    Shipment,
    ShipmentLine,
)


@dataclass(frozen=True)
class _Leaving:
    """A shipment that leaves, with its order and its parcels."""

    shipment: Shipment
    order: Order
    parcels: Sequence[Parcel]


def dispatch_shipments(
    workplace: Workplace, actor: Actor, shipment_ids: Sequence[int]
) -> list[Verdict]:
    """Sends off each shipment whose parcels all have labels, a block of them in each transaction; one
    that has left already is left alone. Returns a verdict for each."""
    actor.must(Right.DISPATCH)

    def in_block(session: Session, block: Sequence[str]) -> dict[str, str | Refused]:
        answers, ready = _sorted_out(session, [int(one) for one in block])
        _leave(session, workplace, actor, [one.shipment for one in ready])
        _gone(session, workplace, actor, ready)
        return {str(shipment_id): answer for shipment_id, answer in answers.items()}

    return for_blocks(workplace, map(str, shipment_ids), in_block)


def _sorted_out(
    session: Session, shipment_ids: Sequence[int]
) -> tuple[dict[int, str | Refused], list[_Leaving]]:
    """Returns the answer for each shipment by its id, and those that leave now."""
    known = shipments_by_id(session, shipment_ids)
    orders = {
        order.id: order
        for order in orders_by_id(session, {shipment.order_id for shipment in known.values()})
    }
    parcels = parcels_of_many(session, list(known))
    answers: dict[int, str | Refused] = {}
    ready = []
    for shipment_id in shipment_ids:
        answers[shipment_id] = ""
        shipment = known.get(shipment_id)
        try:
            if shipment is None:
                raise not_found("shipment", shipment_id)
            if shipment.state == ShipmentState.DISPATCHED:
                continue
            leaving = _Leaving(shipment, orders[shipment.order_id], parcels[shipment_id])
            _check(leaving)
        except Refused as refused:
            answers[shipment_id] = refused
            continue
        ready.append(leaving)
    return answers, ready


def _check(leaving: _Leaving) -> None:
    """Refuses what cannot leave now."""
    check_is_sent(leaving.order)
    shipment = leaving.shipment
    if shipment.state == ShipmentState.TO_SHIP and not all(
        parcel.tracking_number for parcel in leaving.parcels
    ):
        raise refuse(
            "no-label",
            f"Shipment {shipment.number} has a parcel without a label.",
            "Buy its label first.",
        )
    _moved(shipment)


def _moved(shipment: Shipment) -> ShipmentState:
    """Returns the state of a shipment once it has left; refused where it cannot leave."""
    return move(SHIPMENT, f"Shipment {shipment.number}", shipment.state, "dispatch")


def _gone(
    session: Session, workplace: Workplace, actor: Actor, leaving: Sequence[_Leaving]
) -> None:
    """Ends the promises of shipments that have left; orders, channels and customers are told."""
    if not leaving:
        return
    shipments, now = [one.shipment for one in leaving], workplace.now()
    for shipment in shipments:
        shipment.state, shipment.dispatched_at = _moved(shipment), now
    lines = shipment_lines(session, [shipment.id for shipment in shipments])
    _end_promises(session, shipments, lines)
    entries: list[tuple[int | None, str, audit.Changes]] = [
        (shipment.order_id, f"{shipment.number} dispatched", {}) for shipment in shipments
    ]
    audit.record_many(session, actor, now, "order", entries)
    orders = {one.order.id: one.order for one in leaving}
    work_out_orders(session, workplace, actor, orders.values())
    changes = changes_of(session)
    changes.stock_moved({line.product_id for line in lines})
    _tell_tracking(session, workplace, leaving)
    for shipment in shipments:
        key = f"{MailEvent.SHIPPED}:{shipment.number}"
        wish = MailWish(shipment.order_id, MailEvent.SHIPPED, key, paper=str(shipment.id))
        changes.to_mail(wish)


def send_off(session: Session, workplace: Workplace, actor: Actor, shipment: Shipment) -> None:
    """Notes inside a transaction that a marketplace's centre has sent a shipment, whether the
    order was cancelled meanwhile or not; its units count as picked since it was handed over."""
    for line in shipment_lines(session, [shipment.id]):
        taken = _from_bins(session, workplace, actor, shipment, line)
        _take_out(session, workplace, actor, [(shipment, taken)])
    order = session.get_one(Order, shipment.order_id)
    if order.cancelled_at is not None:
        words = f"{shipment.number} left the centre after the order was cancelled."
        add_notice(session, order.id, words, workplace.now())
    _gone(session, workplace, actor, [_Leaving(shipment, order, parcels_of(session, shipment.id))])


def _from_bins(
    session: Session, workplace: Workplace, actor: Actor, shipment: Shipment, line: ShipmentLine
) -> list[tuple[int, int, int]]:
    """Returns from which bins of a centre the units of a line left, as (product, bin, units), the
    fullest bin first. What the centre sent beyond what was known to lie there is counted in before,
    and laid before the team."""
    product_id, left = line.product_id, line.quantity
    lying = places_of(session, shipment.warehouse_id, [product_id]).get(product_id, [])
    places = sorted(lying, key=lambda one: -one.there)
    taken = []
    for place in places:
        units = min(left, place.there)
        if units:
            taken.append((product_id, place.bin, units))
            left -= units
    if left:
        first = first_bin(session, shipment.warehouse_id)
        assert first is not None
        into = places[0].bin if places else first.id
        found = _movement(workplace, actor, shipment, (product_id, into, left), Reason.COUNT)
        write_movement(session, found)
        taken.append((product_id, into, left))
        words = f"The centre sent {left} more with {shipment.number} than were known to lie there."
        add_notice(session, shipment.order_id, words, workplace.now())
    return taken


def _leave(
    session: Session, workplace: Workplace, actor: Actor, shipments: Sequence[Shipment]
) -> None:
    """Takes the goods of shipments out of the bins that they were picked from."""
    picked: dict[int, list[tuple[int, int, int]]] = {shipment.id: [] for shipment in shipments}
    for shipment_id, product_id, bin_id, units in units_taken(session, list(picked)):
        picked[shipment_id].append((product_id, bin_id, units))
    taken = [(shipment, picked[shipment.id]) for shipment in shipments]
    _take_out(session, workplace, actor, taken)


def _take_out(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    taken: Sequence[tuple[Shipment, Sequence[tuple[int, int, int]]]],
) -> None:
    """Lets goods of shipments, given as (product, bin, units), leave the stock."""
    gone = [
        _movement(workplace, actor, shipment, (product_id, bin_id, -units), Reason.DISPATCH)
        for shipment, goods in taken
        for product_id, bin_id, units in goods
    ]
    write_movements(session, gone)


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


def _end_promises(
    session: Session, shipments: Sequence[Shipment], lines: Sequence[ShipmentLine]
) -> None:
    """Takes what has left off what is promised to the lines of orders."""
    warehouses = {shipment.id: shipment.warehouse_id for shipment in shipments}
    orders = {shipment.order_id for shipment in shipments}
    sold = {line.id: line for found in lines_of(session, orders).values() for line in found}
    promised = reservations_of(session, orders)
    fewer: dict[Reservation, int] = {}
    for line in lines:
        if not line.picked:
            continue
        sold[line.order_line_id].shipped += line.picked
        for promise in promised.get(line.order_line_id, []):
            if promise.warehouse_id == warehouses[line.shipment_id]:
                before = fewer.get(promise, 0)
                fewer[promise] = min(before + line.picked, promise.quantity)
    lower_reservations(session, fewer)


def _tell_tracking(session: Session, workplace: Workplace, leaving: Sequence[_Leaving]) -> None:
    """Tells the tracking numbers to the channels that can be told; the page of an order says where a
    person must tell it."""
    told = {
        channel_id
        for channel_id in {one.order.channel_id for one in leaving}
        if channel_id is not None and channel_is_connected(session, channel_id)
    }
    names = carrier_names(session)
    telling = [
        _telling(one.order, one.order.channel_id, parcel, names)
        for one in leaving
        if one.order.channel_id in told
        for parcel in one.parcels
    ]
    tell(session, workplace, telling)


def _telling(order: Order, channel_id: int, parcel: Parcel, carriers: Mapping[int, str]) -> Telling:
    return Telling(
        channel_id,
        parcel_subject(parcel.id),
        Topic.TRACKING,
        topic_urgency(Topic.TRACKING),
        payload={
            "number": order.channel_number,
            "carrier": carriers.get(parcel.carrier_id or 0) or parcel.service,
            "tracking_number": parcel.tracking_number,
        },
    )
