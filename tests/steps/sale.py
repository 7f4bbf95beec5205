"""Holds steps of tests about a sale."""

from sqlalchemy import select

from relvan.services.orders.release import release_orders
from relvan.services.packing.parcels import add_parcel
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.services.shipping.labels import buy_labels, find_services
from relvan.store.dispatch import pick_rows
from relvan.store.orders import shipment_rows
from relvan.store.tables import Carrier, Parcel
from tests.house import orders
from tests.steps.orders import take


def picks_of(workplace, pick_list):
    with workplace.database.reading() as session:
        return pick_rows(session, pick_list)


def shipments(workplace, *states):
    with workplace.database.reading() as session:
        return shipment_rows(session, states=states)


def release_all(workplace, owner):
    numbers = [row.number for row in orders(workplace, tray="inbox")]
    assert all(verdict.ok for verdict in release_orders(workplace, owner, numbers))
    return [row.id for row in shipments(workplace, "to pick")]


def packed(workplace, owner, shipment, weight=900):
    add_parcel(workplace, owner, shipment, [], weight)
    service = find_services(workplace, shipment)[0].service
    return buy_labels(workplace, owner, shipment, service)


def pick_all_waiting(workplace, owner, warehouse=""):
    """Picks every shipment that waits for it, everywhere or in one warehouse; returns the shipments."""
    rows = shipments(workplace, "to pick")
    waiting = [row.id for row in rows if warehouse in ("", row.warehouse)]
    made = make_pick_list(workplace, owner, waiting)
    for row in picks_of(workplace, made):
        record_pick(workplace, owner, made, row.id, row.quantity)
    return waiting


def send(place, owner, number):
    """Sends an order from where it lies, without asking a carrier."""
    release_orders(place, owner, [number])
    with place.database.reading() as session:
        (shipment,) = shipment_rows(session, states=["to pick"])
    listed = make_pick_list(place, owner, [shipment.id])
    with place.database.reading() as session:
        picks = pick_rows(session, listed)
    for pick in picks:
        record_pick(place, owner, listed, pick.id, pick.quantity)
    add_parcel(place, owner, shipment.id, [], 900)
    with place.database.writing() as session:
        session.add(Carrier(key="ostrel", name="Ostrel", address="http://x.test", token=""))
        session.flush()
        parcel = session.get_one(Parcel, 1)
        parcel.carrier_id, parcel.tracking_number, parcel.label_key = 1, "OP-1", "k"
    dispatch_shipments(place, owner, [shipment.id])


def packed_by_hand(place, owner, *orders):
    """Takes orders of these lines, releases, picks and packs them, and writes a tracking number on each
    parcel; returns the shipments in order."""
    numbers = [take(place, owner, *lines) for lines in orders]
    assert all(verdict.ok for verdict in release_orders(place, owner, numbers))
    for warehouse in {row.warehouse for row in shipments(place, "to pick")}:
        pick_all_waiting(place, owner, warehouse)
    ready = [row.id for row in shipments(place, "to pack")]
    for shipment in ready:
        add_parcel(place, owner, shipment, [], 900)
    with place.database.writing() as session:
        if session.get(Carrier, 1) is None:
            session.add(Carrier(key="ostrel", name="Ostrel", address="http://x.test", token=""))
            session.flush()
        for parcel in session.scalars(select(Parcel).where(Parcel.shipment_id.in_(ready))):
            parcel.carrier_id, parcel.tracking_number = 1, f"OP-{parcel.id}"
            parcel.label_key = f"k{parcel.id}"
    return sorted(ready)
