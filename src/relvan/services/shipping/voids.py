"""Voids labels that are not handed over yet, and buys labels for many shipments at once."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor

from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse
from relvan.core.shipping.life import ShipmentState
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.services import audit
from relvan.services.shipping.carriage import label_shipment
from relvan.services.verdicts import Verdict, refused_verdict
from relvan.services.workplace import Actor, Workplace
from relvan.store.dispatch import parcel_by_id, shipment_by_id
from relvan.store.tables import Carrier

AT_ONCE = 8  # shipments for which carriers are asked at the same time
MOST_SHIPMENTS = 500


def void_label(workplace: Workplace, actor: Actor, parcel_id: int) -> str:
    """Voids the label of a parcel that was not dispatched, and returns its number; another one can be
    bought then. A label that is voided already is no error.

    Raises:
        Refused: if it has none, or is on its way, or the carrier does not answer or refuses.
    """
    actor.must(Right.DISPATCH)
    with workplace.database.reading() as session:
        parcel = parcel_by_id(session, parcel_id)
        shipment = shipment_by_id(session, parcel.shipment_id)
        number, carrier_id = parcel.tracking_number, parcel.carrier_id
        if number is None or carrier_id is None:
            raise refuse("no-label", "This parcel has no label.", "There is nothing to void.")
        if shipment.state == ShipmentState.DISPATCHED:
            message = f"{shipment.number} is dispatched."
            raise refuse("dispatched", message, "Its label is used; make a return instead.")
        carrier = session.get_one(Carrier, carrier_id)
    try:
        workplace.carrier(carrier).void_label(number)
    except OutsideTrouble as failure:
        raise refuse("unreachable", f"{failure}.", "Void it again in a moment.") from failure
    except OutsideRefusal as refusal:
        message = f"The carrier says: {refusal.words}."
        raise refuse("carrier-refused", message, "The label stays.") from refusal
    with workplace.database.writing() as session:
        parcel = parcel_by_id(session, parcel_id)
        if parcel.tracking_number != number:
            return number
        parcel.tracking_number = parcel.label_key = parcel.price = parcel.carrier_id = None
        parcel.arrives_on = None
        parcel.signature = parcel.insured = False
        parcel.service = parcel.track_address = parcel.label_file = ""
        subject = audit.Subject("order", shipment.order_id)
        audit.record(session, actor, workplace.now(), subject, f"label {number} voided")
    return number


def note_reprint(workplace: Workplace, actor: Actor, parcel_id: int) -> None:
    """Notes in the log of the order that a label is printed once more."""
    actor.must(Right.DISPATCH)
    with workplace.database.writing() as session:
        parcel = parcel_by_id(session, parcel_id)
        if parcel.tracking_number is None:
            raise refuse("no-label", "This parcel has no label.", "Buy one first.")
        shipment = shipment_by_id(session, parcel.shipment_id)
        subject = audit.Subject("order", shipment.order_id)
        deed = f"label {parcel.tracking_number} printed again"
        audit.record(session, actor, workplace.now(), subject, deed)


def label_many(
    workplace: Workplace, actor: Actor, shipment_ids: Sequence[int], service: str = ""
) -> list[Verdict]:
    """Buys the labels of many shipments, several at the same time; returns a verdict for each. Without a
    service, each takes the one that the seller's rules choose."""
    actor.must(Right.DISPATCH)
    wanted = list(dict.fromkeys(shipment_ids))
    if not 1 <= len(wanted) <= MOST_SHIPMENTS:
        message = f"Labels are bought for 1 to {MOST_SHIPMENTS} shipments; it got {len(wanted)}."
        raise refuse("shipments", message, "Tick some of them.", "pick")

    def buy(shipment_id: int) -> Verdict:
        name = str(shipment_id)
        try:
            with workplace.database.reading() as session:
                name = shipment_by_id(session, shipment_id).number
            labelled = label_shipment(workplace, actor, shipment_id, service)
            return Verdict(name, True, ", ".join(labelled.numbers))
        except Refused as refused:
            return refused_verdict(name, refused)

    with ThreadPoolExecutor(AT_ONCE) as pool:
        return list(pool.map(buy, wanted))
