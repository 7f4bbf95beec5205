"""Packs what was picked into parcels, and unpacks a parcel that has no label yet."""

from collections.abc import Sequence

from relvan.core.packing.parcels import Packed, check_parcel
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse, refuse_if_any
from relvan.core.shipping.life import SHIPMENT, ShipmentState, move
from relvan.gateways.calling import OutsideTrouble
from relvan.gateways.scale import read_scale
from relvan.services import audit
from relvan.services.orders.cancel import order_to_send
from relvan.services.workplace import Actor, Workplace
from relvan.store.dispatch import (
    last_position,
    parcel_by_id,
    parcel_lines,
    shipment_by_id,
    shipment_line_rows,
)
from relvan.store.session import Session
from relvan.store.tables import Parcel, ParcelLine, Shipment

MOST_CARTON = 60


def add_parcel(
    workplace: Workplace,
    actor: Actor,
    shipment_id: int,
    lines: Sequence[Packed],
    weight_g: int,
    carton: str = "",
) -> int:
    """Closes one parcel; returns its id. Without lines, all that is not packed yet goes into it."""
    actor.must(Right.DISPATCH)
    if len(carton) > MOST_CARTON:
        raise refuse(
            "too-long",
            f"“Carton” must have at most {MOST_CARTON} characters.",
            "Shorten it.",
            "carton",
        )
    with workplace.database.writing() as session:
        shipment = shipment_by_id(session, shipment_id)
        order_to_send(session, shipment)
        if shipment.state != ShipmentState.TO_PACK:
            message = f"Shipment {shipment.number} is “{shipment.state}”; it must be “to pack”."
            raise refuse("wrong-state", message, "Pick it first.", "")
        rows = shipment_line_rows(session, shipment_id)
        left: dict[str, int] = {}
        for row in rows:
            left[row.sku] = left.get(row.sku, 0) + row.picked - row.packed
        packed = list(lines) or [Packed(sku, units) for sku, units in left.items() if units]
        refuse_if_any(check_parcel(packed, weight_g, left))
        parcel = _save(session, workplace, shipment, packed, weight_g, carton)
        audit.record(
            session,
            actor,
            workplace.now(),
            audit.Subject("order", shipment.order_id),
            f"parcel {parcel.position} packed",
        )
        if sum(left.values()) == sum(line.quantity for line in packed):
            shipment.state = move(SHIPMENT, shipment.number, shipment.state, "all packed")
        return parcel.id


def remove_parcel(workplace: Workplace, actor: Actor, parcel_id: int) -> None:
    """Unpacks a parcel; refused once a label was asked for."""
    actor.must(Right.DISPATCH)
    with workplace.database.writing() as session:
        parcel = parcel_by_id(session, parcel_id)
        if parcel.label_key:
            raise refuse(
                "labelled", "This parcel has a label, or one was asked for.", "Send it as it is."
            )
        shipment = shipment_by_id(session, parcel.shipment_id)
        if shipment.state == ShipmentState.TO_SHIP:
            shipment.state = move(SHIPMENT, shipment.number, shipment.state, "unpack")
        for line in parcel_lines(session, parcel.id):
            session.delete(line)
        session.flush()
        session.delete(parcel)
        deed = f"parcel {parcel.position} unpacked"
        audit.record(
            session, actor, workplace.now(), audit.Subject("order", shipment.order_id), deed
        )


def weigh(workplace: Workplace, actor: Actor) -> int:
    """Returns the grams on the scale of the packing bench."""
    actor.must(Right.DISPATCH)
    address = workplace.firm.scale
    if not address:
        raise refuse("no-scale", "No scale is connected.", "Type the weight.", "weight_g")
    try:
        return read_scale(address, private_allowed=workplace.settings.private_addresses)
    except OutsideTrouble as failure:
        raise refuse("no-scale", f"{failure}.", "Type the weight.", "weight_g") from failure


def _save(
    session: Session,
    workplace: Workplace,
    shipment: Shipment,
    packed: Sequence[Packed],
    weight_g: int,
    carton: str,
) -> Parcel:
    last = last_position(session, shipment.id)
    parcel = Parcel(
        shipment_id=shipment.id,
        position=last + 1,
        weight_g=weight_g,
        carton=carton,
        created_at=workplace.now(),
    )
    session.add(parcel)
    session.flush()
    wanted: dict[str, int] = {}
    for line in packed:
        wanted[line.sku] = wanted.get(line.sku, 0) + line.quantity
    for row in shipment_line_rows(session, shipment.id):
        units = min(wanted.get(row.sku, 0), row.picked - row.packed)
        if units > 0:
            session.add(ParcelLine(parcel_id=parcel.id, shipment_line_id=row.id, quantity=units))
            wanted[row.sku] -= units
    session.flush()
    return parcel
