"""Queries over what was picked and what carriage cost since a moment."""

from datetime import datetime

from sqlalchemy import case, func, or_, select
from sqlalchemy.orm import Session

from relvan.core.picking.figures import CarriageFigures, CartonFigures, RoundFacts
from relvan.store.tables import (
    Carrier,
    CartonRow,
    Order,
    Parcel,
    ParcelLine,
    Person,
    Pick,
    PickList,
    Product,
    ScanEvent,
    Shipment,
    ShipmentLine,
)

NOBODY = "nobody named"


def rounds_since(session: Session, since: datetime) -> list[RoundFacts]:
    """Returns the rounds in which something was picked."""
    rows = session.execute(
        select(
            func.coalesce(Person.name, NOBODY),
            func.count(Pick.id),
            func.sum(case((Pick.picked < Pick.quantity, 1), else_=0)),
            func.min(Pick.picked_at),
            func.max(Pick.picked_at),
        )
        .join(PickList, PickList.id == Pick.pick_list_id)
        .outerjoin(Person, Person.id == PickList.person_id)
        .where(Pick.picked_at >= since)
        .group_by(PickList.id, Person.name)
    )
    return [
        RoundFacts(person, picks, short, (last - first).total_seconds())
        for person, picks, short, first, last in rows
    ]


def wrong_scans_since(session: Session, since: datetime) -> dict[str, int]:
    """Returns how many scans phones refused, by who scanned."""
    rows = session.execute(
        select(func.coalesce(Person.name, NOBODY), func.count())
        .select_from(ScanEvent)
        .outerjoin(Person, Person.id == ScanEvent.person_id)
        .where(ScanEvent.kind == "wrong", ScanEvent.at >= since)
        .group_by(Person.name)
    )
    return dict(rows.all())


def carriage_since(session: Session, since: datetime) -> list[CarriageFigures]:
    """Returns what carriers were paid for what was dispatched, beside what customers paid for delivery.
    What a marketplace's centre sends has no carrier of ours and is left out."""
    sent = (
        select(
            Carrier.name.label("carrier"),
            Shipment.order_id,
            Parcel.currency,
            func.count(Parcel.id).label("parcels"),
            func.sum(Parcel.price).label("paid"),
            func.sum(func.coalesce(Parcel.charged, Parcel.price)).label("billed"),
        )
        .join(Shipment, Shipment.id == Parcel.shipment_id)
        .join(Carrier, Carrier.id == Parcel.carrier_id)
        .where(Shipment.dispatched_at >= since, Parcel.price.is_not(None))
        .group_by(Carrier.name, Shipment.order_id, Parcel.currency)
        .subquery()
    )
    own = case((Order.currency == sent.c.currency, Order.delivery_price), else_=0)
    rows = session.execute(
        select(
            sent.c.carrier,
            func.count(),
            func.sum(sent.c.parcels),
            func.sum(sent.c.paid),
            func.sum(own),
            sent.c.currency,
            func.sum(sent.c.billed),
        )
        .join(Order, Order.id == sent.c.order_id)
        .group_by(sent.c.carrier, sent.c.currency)
        .order_by(func.sum(sent.c.paid).desc())
    )
    return [CarriageFigures(*row) for row in rows]


def fill_since(session: Session, since: datetime) -> list[CartonFigures]:
    """Returns how full the cartons of parcels that were packed are, by carton. Parcels with goods whose
    size is not known, or in a carton that is not in the list of cartons, are left out."""
    volume = Product.length_mm * Product.width_mm * Product.height_mm
    inside = (
        select(
            Parcel.carton.label("code"),
            Parcel.id,
            func.sum(ParcelLine.quantity).label("units"),
            func.sum(ParcelLine.quantity * volume).label("goods"),
        )
        .join(ParcelLine, ParcelLine.parcel_id == Parcel.id)
        .join(ShipmentLine, ShipmentLine.id == ParcelLine.shipment_line_id)
        .join(Product, Product.id == ShipmentLine.product_id)
        .where(Parcel.created_at >= since)
        .group_by(Parcel.id, Parcel.carton)
        .having(func.count(volume) == func.count())
        .subquery()
    )
    size = CartonRow.length_mm * CartonRow.width_mm * CartonRow.height_mm
    rows = session.execute(
        select(
            CartonRow.name,
            func.count(),
            func.sum(inside.c.units),
            func.sum(inside.c.goods),
            func.sum(size),
        )
        .join(inside, or_(inside.c.code == CartonRow.code, inside.c.code == CartonRow.name))
        .group_by(CartonRow.id, CartonRow.name)
        .order_by(func.count().desc())
    )
    return [CartonFigures(*row) for row in rows]
