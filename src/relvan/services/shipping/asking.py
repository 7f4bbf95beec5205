"""What carriers are asked about a shipment: its parcels with their sizes and values, and the accounts that
collect from its warehouse. Carriers are asked outside any transaction, a few times when they fail.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from typing import TypeVar

from relvan.core.orders.intake import Address
from relvan.core.refusal import refuse
from relvan.core.setup.warehouses import PickUp
from relvan.core.shipping.accounts import AccountUse
from relvan.core.shipping.carriage import CarriageFacts, Extras
from relvan.core.shipping.customs import CustomsLine
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.carriers.port import CarriageAsk, Quote
from relvan.services.patience import wait_to_ask_again
from relvan.services.workplace import Workplace
from relvan.store.carriage import DeclaredGoods, carton_sizes, declared_goods
from relvan.store.channels import carriers, channel_keys
from relvan.store.dispatch import parcels_of, shipment_by_id
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
class ShipmentAsk:
    """What carriers are asked about a shipment: each of its parcels, by the parcel's id, the accounts that
    collect from its warehouse, and what rules look at."""

    parcels: dict[int, CarriageAsk]
    accounts: tuple[Carrier, ...]
    facts: CarriageFacts

    def with_extras(self, extras: Extras) -> "ShipmentAsk":
        """Returns the same with other things wanted besides."""
        parcels = {one: replace(ask, extras=extras) for one, ask in self.parcels.items()}
        return replace(self, parcels=parcels)


@dataclass(frozen=True)
class AskDesk:
    """What asking about many shipments needs once: accounts, cartons, keys of channels, and the moment by
    the firm's clock."""

    accounts: tuple[Carrier, ...]
    cartons: dict[str, tuple[int, int, int]]
    channels: dict[int, str]
    here: datetime
    firm: Address


def ask_desk(session: Session, workplace: Workplace) -> AskDesk:
    """Reads what asking about shipments needs."""
    return AskDesk(
        tuple(carriers(session)),
        carton_sizes(session),
        channel_keys(session),
        workplace.local_now(),
        workplace.firm.address,
    )


def ask_about(session: Session, workplace: Workplace, shipment_id: int) -> ShipmentAsk:
    """Returns what carriers are asked about a shipment.

    Raises:
        Refused: if nothing is packed, no carrier is connected, or none collects there.
    """
    shipment = shipment_by_id(session, shipment_id)
    parcels = parcels_of(session, shipment_id)
    if not parcels:
        raise refuse(
            "not-packed", "Pack at least one parcel first.", "The price depends on its weight."
        )
    goods = declared_goods(session, [parcel.id for parcel in parcels])
    ask = build_ask(session, ask_desk(session, workplace), shipment, parcels, goods)
    if not ask.accounts:
        raise refuse(
            "no-carrier",
            "No carrier is connected that collects from this warehouse.",
            "Connect one in Setup.",
        )
    return ask


def build_ask(
    session: Session,
    desk: AskDesk,
    shipment: Shipment,
    parcels: Sequence[Parcel],
    goods: dict[int, list[DeclaredGoods]],
) -> ShipmentAsk:
    """Returns what carriers are asked about a shipment with these parcels and what lies in them."""
    order = session.get_one(Order, shipment.order_id)
    warehouse = session.get_one(Warehouse, shipment.warehouse_id)
    to = Address.read(order.ship_to)
    sender = _sender(Address.read(warehouse.address), desk.firm)
    ready = PickUp.read(warehouse.pick_up).next_cut_off(desk.here) or desk.here
    asks = {
        parcel.id: CarriageAsk(
            sender,
            to,
            parcel.weight_g,
            desk.cartons.get(parcel.carton),
            sum(one.price * one.quantity for one in goods.get(parcel.id, ())),
            order.currency,
            Extras(parcel.signature, parcel.insured),
            ready.date().isoformat(),
        )
        for parcel in parcels
    }
    facts = CarriageFacts(
        to.country,
        to.postcode,
        desk.channels.get(order.channel_id or 0, ""),
        warehouse.key,
        sum(ask.weight_g for ask in asks.values()),
        sum(ask.value for ask in asks.values()),
        datetime.fromisoformat(order.promised_on).date() if order.promised_on else None,
    )
    accounts = tuple(
        one for one in desk.accounts if AccountUse.read(one.use).collects_from(warehouse.key)
    )
    return ShipmentAsk(asks, accounts, facts)


def _sender(warehouse: Address, firm: Address) -> Address:
    """Returns from where parcels are sent: the warehouse, or the firm where its address is not known."""
    found = warehouse if warehouse.country and warehouse.street else firm
    return replace(
        found,
        name=found.name or firm.name,
        mail=found.mail or firm.mail,
        phone=found.phone or firm.phone,
    )


def customs_lines(goods: Sequence[DeclaredGoods], currency: str) -> tuple[CustomsLine, ...]:
    """Returns what customs are told of what lies in a parcel."""
    return tuple(
        CustomsLine(
            one.sku,
            one.title,
            one.hs_code,
            one.origin,
            one.quantity,
            one.price * one.quantity,
            currency,
            one.weight_g * one.quantity,
        )
        for one in goods
    )


Quoting = Callable[[Carrier, CarriageAsk], Sequence[Quote]]


def quoting(workplace: Workplace) -> Quoting:
    """Returns a function that asks carriers for quotes; the same question is asked once."""
    known: dict[tuple[int, CarriageAsk], Sequence[Quote]] = {}

    def ask(carrier: Carrier, parcel: CarriageAsk) -> Sequence[Quote]:
        key = (carrier.id, parcel)
        if key not in known:
            gateway = workplace.carrier(carrier)
            known[key] = patiently(workplace, partial(gateway.quotes, parcel))
        return known[key]

    return ask


def services_for(ask: ShipmentAsk, quote: Quoting) -> list[Service]:
    """Returns the services that take every parcel of a shipment, the cheapest first."""
    found = []
    for carrier in ask.accounts:
        by_parcel = [quote(carrier, parcel) for parcel in ask.parcels.values()]
        common = set.intersection(*({one.service for one in quotes} for quotes in by_parcel))
        for first in by_parcel[0]:
            if first.service in common:
                name = f"{carrier.key}:{first.service}"
                every = [q for quotes in by_parcel for q in quotes if q.service == first.service]
                found.append(
                    Service(
                        name,
                        carrier.name,
                        first.name,
                        sum(one.price for one in every),
                        first.currency,
                        max(one.arrives for one in every),
                    )
                )
    return sorted(found, key=lambda service: (service.price, service.arrives))


def patiently(workplace: Workplace, call: Callable[[], Answer]) -> Answer:
    """Repeats a question that may safely be asked again, a few times."""
    last = ""
    for attempt in range(1, TRIES + 1):
        try:
            return call()
        except OutsideTrouble as failure:
            last = str(failure)
            wait_a_little(workplace, attempt, failure)
        except OutsideRefusal as refusal:
            raise refuse(
                "carrier-refused",
                f"The carrier says: {refusal.words}.",
                "Check the address and the weight.",
            ) from refusal
    raise refuse("unreachable", f"{last}.", "Try again in a moment; nothing is lost.")


def wait_a_little(workplace: Workplace, attempt: int, failure: OutsideTrouble) -> None:
    """Waits before the next try, if there is one: as long as the carrier asks for, but not too
    long, because a person is waiting."""
    if attempt < TRIES:
        wait_to_ask_again(workplace, failure, attempt, most_s=MOST_WAIT_S)
