"""Buys labels. The key of each purchase is saved first, so that no label is ever paid twice,
whatever fails."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import TypeVar

from relvan.core.orders.intake import Address
from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse
from relvan.core.shipping.life import ShipmentState
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.carriers.port import BoughtLabel, CarrierGateway
from relvan.services import audit
from relvan.services.orders.cancel import order_to_send
from relvan.services.patience import wait_to_ask_again
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import carriers, find_carrier
from relvan.store.dispatch import parcel_by_id, parcels_of, shipment_by_id
from relvan.store.session import Session
from relvan.store.tables import Carrier, Order, Parcel, Shipment, Warehouse

TRIES = 4
MOST_WAIT_S = 1.5
Answer = TypeVar("Answer")


@dataclass(frozen=True)
class Service:
    """A carrier's service for a whole shipment: the price of all its labels in minor units, and the
    day of arrival."""

    service: str
    carrier: str
    name: str
    price: int
    currency: str
    arrives: str


@dataclass(frozen=True)
class _Order:
    """What a label is bought for."""

    parcel_id: int
    key: str
    asked_before: bool
    weight_g: int
    service: str
    sender: Address
    to: Address
    note: str


def find_services(workplace: Workplace, shipment_id: int) -> list[Service]:
    """Returns the services that take every parcel of a shipment, the cheapest first."""
    with workplace.database.reading() as session:
        shipment = shipment_by_id(session, shipment_id)
        to = Address.read(session.get_one(Order, shipment.order_id).ship_to)
        weights = [parcel.weight_g for parcel in parcels_of(session, shipment_id)]
        accounts = carriers(session)
    if not weights:
        raise refuse(
            "not-packed", "Pack at least one parcel first.", "The price depends on its weight."
        )
    if not accounts:
        raise refuse("no-carrier", "No carrier is connected.", "Connect one in Setup.")
    found = []
    for carrier in accounts:
        found += _services_of(workplace, carrier, to, weights)
    return sorted(found, key=lambda service: (service.price, service.arrives))


def buy_labels(workplace: Workplace, actor: Actor, shipment_id: int, service: str) -> list[str]:
    """Buys a label for every parcel of a shipment that has none; returns the tracking numbers of
    all.

    Called again, or after a failure, it goes on where it stopped.
    """
    actor.must(Right.DISPATCH)
    _settle_elsewhere(workplace, actor, shipment_id, service.partition(":")[0])
    carrier, orders = _write_keys(workplace, shipment_id, service)
    gateway = workplace.carrier(carrier)
    for order in orders:
        label = _buy(workplace, gateway, order)
        _keep_label(workplace, actor, carrier, order.parcel_id, label)
        keep_label_file(workplace, order.parcel_id)
    with workplace.database.reading() as session:
        return [parcel.tracking_number or "" for parcel in parcels_of(session, shipment_id)]


def keep_label_file(workplace: Workplace, parcel_id: int) -> bytes:
    """Returns the label's PDF, which is fetched once and then kept."""
    with workplace.database.reading() as session:
        parcel = parcel_by_id(session, parcel_id)
        if parcel.tracking_number is None or parcel.carrier_id is None:
            raise not_found("label", f"parcel {parcel_id}")
        carrier, number = session.get_one(Carrier, parcel.carrier_id), parcel.tracking_number
    name = f"labels/{number}.pdf"
    path = workplace.files.path(name)
    if not path.exists():
        content = _patiently(workplace, lambda: workplace.carrier(carrier).label_file(number))
        workplace.files.keep(name, content)
    return path.read_bytes()


def _services_of(
    workplace: Workplace, carrier: Carrier, to: Address, weights: list[int]
) -> list[Service]:
    gateway = workplace.carrier(carrier)
    quotes = [_patiently(workplace, partial(gateway.quotes, to, weight)) for weight in weights]
    common = set.intersection(*({quote.service for quote in by_parcel} for by_parcel in quotes))
    found = []
    for quote in quotes[0]:
        if quote.service in common:
            price = sum(
                q.price for by_parcel in quotes for q in by_parcel if q.service == quote.service
            )
            found.append(
                Service(
                    f"{carrier.key}:{quote.service}",
                    carrier.name,
                    quote.name,
                    price,
                    quote.currency,
                    quote.arrives,
                )
            )
    return found


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
        found = _patiently(workplace, partial(workplace.carrier(carrier).find_label, key))
        if found is not None:
            _keep_label(workplace, actor, carrier, parcel_id, found)
            continue
        with workplace.database.writing() as session:
            parcel = parcel_by_id(session, parcel_id)
            if parcel.label_key == key and parcel.tracking_number is None:
                parcel.label_key = parcel.carrier_id = None


def _write_keys(
    workplace: Workplace, shipment_id: int, service: str
) -> tuple[Carrier, list[_Order]]:
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
        orders = [
            _label_order(session, workplace, shipment, parcel, carrier, product)
            for parcel in parcels_of(session, shipment_id)
            if parcel.tracking_number is None
        ]
        session.flush()
        return carrier, orders


def _label_order(
    session: Session,
    workplace: Workplace,
    shipment: Shipment,
    parcel: Parcel,
    carrier: Carrier,
    product: str,
) -> _Order:
    order = session.get_one(Order, shipment.order_id)
    warehouse = session.get_one(Warehouse, shipment.warehouse_id)
    asked_before = parcel.label_key is not None
    if parcel.label_key is None:
        parcel.label_key = f"{shipment.number}-{parcel.position}-{workplace.new_key()[:8]}"
    parcel.carrier_id, parcel.service = carrier.id, product
    return _Order(
        parcel.id,
        parcel.label_key,
        asked_before,
        parcel.weight_g,
        product,
        Address.read(warehouse.address),
        Address.read(order.ship_to),
        f"{order.number} / {shipment.number}",
    )


def _buy(workplace: Workplace, gateway: CarrierGateway, order: _Order) -> BoughtLabel:
    """Buys one label; after a lost answer it looks the label up before asking again."""
    unsure, last = order.asked_before, ""
    for attempt in range(1, TRIES + 1):
        try:
            found = gateway.find_label(order.key) if unsure else None
            return found or gateway.buy_label(
                order.key, order.service, order.sender, order.to, order.weight_g, order.note
            )
        except OutsideTrouble as failure:
            unsure, last = True, str(failure)
            _wait(workplace, attempt, failure)
        except OutsideRefusal as refusal:
            said = refusal.body.get("error", "") if isinstance(refusal.body, dict) else ""
            raise refuse(
                "carrier-refused",
                f"The carrier says: {said or refusal}.",
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


def _wait(workplace: Workplace, attempt: int, failure: OutsideTrouble) -> None:
    """Waits before the next try, if there is one: as long as the carrier asks for, but not too
    long, because a person is waiting."""
    if attempt < TRIES:
        wait_to_ask_again(workplace, failure, attempt, most_s=MOST_WAIT_S)


def _patiently(workplace: Workplace, call: Callable[[], Answer]) -> Answer:
    """Repeats a question that may safely be asked again, a few times."""
    last = ""
    for attempt in range(1, TRIES + 1):
        try:
            return call()
        except OutsideTrouble as failure:
            last = str(failure)
            _wait(workplace, attempt, failure)
        except OutsideRefusal as refusal:
            raise refuse(
                "carrier-refused", f"{refusal}.", "Check the address and the weight."
            ) from refusal
    raise refuse("unreachable", f"{last}.", "Try again in a moment; nothing is lost.")
