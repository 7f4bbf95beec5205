"""Buys labels. The key of each purchase is saved first, so that no label is ever paid twice,
whatever fails."""

from dataclasses import dataclass, replace
from functools import partial

from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse, refuse_if_any
from relvan.core.shipping.accounts import AccountUse, reference_of
from relvan.core.shipping.carriage import Extras
from relvan.core.shipping.customs import CustomsLine, check_customs, needs_customs
from relvan.core.shipping.life import ShipmentState
from relvan.documents.pictures import as_pdf
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.carriers.port import BoughtLabel, CarriageAsk, CarrierGateway, LabelWish
from relvan.services import audit
from relvan.services.orders.cancel import order_to_send
from relvan.services.shipping.asking import (
    TRIES,
    Service,
    ShipmentAsk,
    ask_about,
    customs_lines,
    patiently,
    quoting,
    services_for,
    wait_a_little,
)
from relvan.services.workplace import Actor, Workplace
from relvan.store.carriage import declared_goods
from relvan.store.channels import find_carrier
from relvan.store.customers import address_of_order
from relvan.store.dispatch import parcel_by_id, parcels_of, shipment_by_id
from relvan.store.session import Session
from relvan.store.tables import Carrier, Order, Parcel, Shipment

AS_USUAL = Extras()


@dataclass(frozen=True)
class _Purchase:
    """A label that is to be bought for a parcel, and whether it was asked for before."""

    parcel_id: int
    asked_before: bool
    wish: LabelWish


def find_services(
    workplace: Workplace, shipment_id: int, extras: Extras = AS_USUAL
) -> list[Service]:
    """Returns the services that take every parcel of a shipment, the cheapest first."""
    with workplace.database.reading() as session:
        ask = ask_about(session, workplace, shipment_id)
    return services_for(ask.with_extras(extras), quoting(workplace))


def buy_labels(
    workplace: Workplace,
    actor: Actor,
    shipment_id: int,
    service: str,
    extras: Extras = AS_USUAL,
) -> list[str]:
    """Buys a label for every parcel of a shipment that has none; returns the tracking numbers of
    all.

    Called again, or after a failure, it goes on where it stopped.
    """
    actor.must(Right.DISPATCH)
    _settle_elsewhere(workplace, actor, shipment_id, service.partition(":")[0])
    carrier, purchases = _write_keys(workplace, shipment_id, service, extras)
    gateway = workplace.carrier(carrier)
    for purchase in purchases:
        label = _buy(workplace, gateway, purchase)
        _keep_label(workplace, actor, carrier, purchase.parcel_id, label)
        keep_label_file(workplace, purchase.parcel_id)
    with workplace.database.reading() as session:
        return [parcel.tracking_number or "" for parcel in parcels_of(session, shipment_id)]


def keep_label_file(workplace: Workplace, parcel_id: int) -> bytes:
    """Returns the label as it was bought, PDF or PNG; it is fetched once and then kept."""
    with workplace.database.reading() as session:
        parcel = parcel_by_id(session, parcel_id)
        if parcel.tracking_number is None or parcel.carrier_id is None:
            raise not_found("label", f"parcel {parcel_id}")
        carrier, number = session.get_one(Carrier, parcel.carrier_id), parcel.tracking_number
    name = f"labels/{number}.pdf"
    path = workplace.files.path(name)
    if not path.exists():
        content = patiently(workplace, lambda: workplace.carrier(carrier).label_file(number))
        workplace.files.keep(name, content)
    return path.read_bytes()


def label_pdf(workplace: Workplace, parcel_id: int) -> bytes:
    """Returns the label as PDF, whatever it was bought as."""
    content = keep_label_file(workplace, parcel_id)
    return content if content.startswith(b"%PDF") else as_pdf(content)


def label_as_picture(workplace: Workplace, parcel_id: int) -> bytes:
    """Returns the label as PNG, for printers that take nothing else.

    Raises:
        Refused: if it was bought as PDF.
    """
    content = keep_label_file(workplace, parcel_id)
    if content.startswith(b"%PDF"):
        message = "This label was bought as PDF."
        raise refuse("not-allowed", message, "Choose PNG for the carrier's labels in Setup.")
    return content


def _settle_elsewhere(
    workplace: Workplace, actor: Actor, shipment_id: int, carrier_key: str
) -> None:
    """Finds out whether labels that were asked from another carrier, and whose answer was lost, were
    bought there: those are kept, and only for the others is the carrier changed."""
    with workplace.database.reading() as session:
        open_ones = [
            (parcel.id, parcel.label_key, session.get_one(Carrier, parcel.carrier_id))
            for parcel in parcels_of(session, shipment_id)
            if parcel.tracking_number is None and parcel.label_key and parcel.carrier_id
        ]
    for parcel_id, key, carrier in open_ones:
        if carrier.key == carrier_key or key is None:
            continue
        found = patiently(workplace, partial(workplace.carrier(carrier).find_label, key))
        if found is not None:
            _keep_label(workplace, actor, carrier, parcel_id, found)
            continue
        with workplace.database.writing() as session:
            parcel = parcel_by_id(session, parcel_id)
            if parcel.label_key == key and parcel.tracking_number is None:
                parcel.label_key = parcel.carrier_id = None


def _write_keys(
    workplace: Workplace, shipment_id: int, service: str, extras: Extras
) -> tuple[Carrier, list[_Purchase]]:
    """Saves the key under which each label will be bought, before the carrier is asked."""
    carrier_key, _, product = service.partition(":")
    with workplace.database.writing() as session:
        carrier = find_carrier(session, carrier_key)
        if carrier is None or not product:
            raise refuse(
                "not-allowed",
                f"There is no service “{service[:60]}”.",
                "Choose one of the list.",
                "service",
            )
        shipment = shipment_by_id(session, shipment_id)
        if shipment.state != ShipmentState.DISPATCHED:
            order_to_send(session, shipment)
        if shipment.state not in (ShipmentState.TO_SHIP, ShipmentState.DISPATCHED):
            message = f"Shipment {shipment.number} is “{shipment.state}”; it must be “to ship”."
            raise refuse("wrong-state", message, "Pack all that was picked first.", "service")
        parcels = [one for one in parcels_of(session, shipment_id) if not one.tracking_number]
        if not parcels:
            return carrier, []
        asked_before = {parcel.id for parcel in parcels if parcel.label_key is not None}
        for parcel in parcels:
            if parcel.label_key is None:
                key = workplace.new_key()[:8]
                parcel.label_key = f"{shipment.number}-{parcel.position}-{key}"
                parcel.signature, parcel.insured = extras.signature, extras.insured
            parcel.carrier_id, parcel.service = carrier.id, product
        session.flush()
        wishes = _wishes(session, workplace, shipment, parcels, carrier)
        return carrier, [_Purchase(one, one in asked_before, wishes[one]) for one in wishes]


def _wishes(
    session: Session,
    workplace: Workplace,
    shipment: Shipment,
    parcels: list[Parcel],
    carrier: Carrier,
) -> dict[int, LabelWish]:
    """Returns the labels that are to be bought for parcels, by the parcel's id."""
    ask = ask_about(session, workplace, shipment.id)
    if carrier.id not in {account.id for account in ask.accounts}:
        message = f"{carrier.name} does not collect from this warehouse."
        raise refuse("not-allowed", message, "Choose a service of another carrier.", "service")
    order = session.get_one(Order, shipment.order_id)
    customs = _customs(session, ask, order, parcels)
    use = AccountUse.read(carrier.use)
    reference = reference_of(
        use, order.number, shipment.number, order.channel_number or "", order.reference
    )
    mail = address_of_order(session, order)
    return {
        parcel.id: LabelWish(
            parcel.label_key or "",
            parcel.service,
            _reachable(ask.parcels[parcel.id], mail),
            reference,
            use.label_format,
            use.label_size,
            customs.get(parcel.id, ()),
            workplace.firm.eori if customs else "",
        )
        for parcel in parcels
    }


def _reachable(ask: CarriageAsk, mail: str) -> CarriageAsk:
    """Returns what is asked with the mail address at which the carrier reaches the receiver."""
    return replace(ask, to=replace(ask.to, mail=mail))


def _customs(
    session: Session, ask: ShipmentAsk, order: Order, parcels: list[Parcel]
) -> dict[int, tuple[CustomsLine, ...]]:
    """Returns what customs are told of each parcel; nothing where no border of customs is crossed."""
    first = next(iter(ask.parcels.values()))
    if not needs_customs(first.sender.country, first.to.country):
        return {}
    goods = declared_goods(session, [parcel.id for parcel in parcels])
    found = {one: customs_lines(inside, order.currency) for one, inside in goods.items()}
    refuse_if_any(check_customs([line for lines in found.values() for line in lines]))
    return found


def _buy(workplace: Workplace, gateway: CarrierGateway, purchase: _Purchase) -> BoughtLabel:
    """Buys one label; after a lost answer it looks the label up before asking again."""
    unsure, last = purchase.asked_before, ""
    for attempt in range(1, TRIES + 1):
        try:
            found = gateway.find_label(purchase.wish.key) if unsure else None
            return found or gateway.buy_label(purchase.wish)
        except OutsideTrouble as failure:
            unsure, last = True, str(failure)
            wait_a_little(workplace, attempt, failure)
        except OutsideRefusal as refusal:
            raise refuse(
                "carrier-refused",
                f"The carrier says: {refusal.words}.",
                "Choose another service.",
                "service",
            ) from refusal
    raise refuse(
        "unreachable",
        f"{last}.",
        "Nothing is lost: try again, no label is bought twice.",
        "service",
    )


def _keep_label(
    workplace: Workplace, actor: Actor, carrier: Carrier, parcel_id: int, label: BoughtLabel
) -> None:
    with workplace.database.writing() as session:
        parcel = parcel_by_id(session, parcel_id)
        if parcel.tracking_number is not None:
            return
        parcel.tracking_number, parcel.price, parcel.currency = (
            label.tracking_number,
            label.price,
            label.currency,
        )
        parcel.track_address = label.track_path
        parcel.arrives_on = label.arrives or None
        shipment = shipment_by_id(session, parcel.shipment_id)
        deed = f"label {label.tracking_number} bought from {carrier.name}"
        audit.record(
            session, actor, workplace.now(), audit.Subject("order", shipment.order_id), deed
        )
