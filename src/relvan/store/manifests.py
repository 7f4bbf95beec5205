"""Queries over manifests and the parcels that are to stand on one."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from relvan.core.refusal import not_found
from relvan.core.shipping.life import ShipmentState
from relvan.store.rows import rows_as
from relvan.store.tables import Carrier, Manifest, Order, Parcel, Shipment, Warehouse


@dataclass(frozen=True)
class ManifestParcel:
    """A parcel with a label, as a manifest lists it."""

    id: int
    tracking_number: str
    weight_g: int
    service: str
    shipment: str
    order: str
    receiver: str
    country: str


def _parcels(session: Session, *conditions: object) -> list[ManifestParcel]:
    statement = (
        select(
            Parcel.id,
            Parcel.tracking_number,
            Parcel.weight_g,
            Parcel.service,
            Shipment.number,
            Order.number,
            Order.customer,
            Order.country,
        )
        .join(Shipment, Shipment.id == Parcel.shipment_id)
        .join(Order, Order.id == Shipment.order_id)
        .where(Parcel.tracking_number.is_not(None), *conditions)  # type: ignore[arg-type]
        .order_by(Parcel.id)
    )
    return rows_as(ManifestParcel, session, statement)


def parcels_for(
    session: Session, carrier_id: int, warehouse_id: int, *, sent: bool
) -> list[ManifestParcel]:
    """Returns the parcels of a carrier from a warehouse that stand on no manifest yet: those that were
    dispatched, or those that have a label and still lie here."""
    state = ShipmentState.DISPATCHED if sent else ShipmentState.TO_SHIP
    return _parcels(
        session,
        Parcel.carrier_id == carrier_id,
        Parcel.manifest_id.is_(None),
        Shipment.warehouse_id == warehouse_id,
        Shipment.state == state,
    )


def parcels_on(session: Session, manifest_id: int) -> list[ManifestParcel]:
    """Returns the parcels of a manifest."""
    return _parcels(session, Parcel.manifest_id == manifest_id)


def put_on_manifest(session: Session, manifest_id: int, parcel_ids: Collection[int]) -> None:
    """Puts parcels on a manifest."""
    found = update(Parcel).where(Parcel.id.in_(parcel_ids)).values(manifest_id=manifest_id)
    session.execute(found)


def manifest_by_id(session: Session, manifest_id: int) -> Manifest:
    """Returns the manifest with an id."""
    row = session.get(Manifest, manifest_id)
    if row is None:
        raise not_found("manifest", manifest_id)
    return row


def unanswered_manifest(session: Session, carrier_id: int, warehouse_id: int) -> Manifest | None:
    """Returns the manifest that a carrier was asked for and has not answered, or None."""
    return session.scalar(
        select(Manifest).where(
            Manifest.carrier_id == carrier_id,
            Manifest.warehouse_id == warehouse_id,
            Manifest.carrier_number == "",
        )
    )


@dataclass(frozen=True)
class ManifestRow:
    """A manifest as a list shows it."""

    id: int
    number: str
    carrier: str
    warehouse: str
    carrier_number: str
    created_at: datetime
    parcels: int


def manifest_rows(session: Session, limit: int = 30) -> list[ManifestRow]:
    """Returns manifests, the newest first."""
    statement = (
        select(
            Manifest.id,
            Manifest.number,
            Carrier.name,
            Warehouse.name,
            Manifest.carrier_number,
            Manifest.created_at,
            func.count(Parcel.id),
        )
        .join(Carrier, Carrier.id == Manifest.carrier_id)
        .join(Warehouse, Warehouse.id == Manifest.warehouse_id)
        .outerjoin(Parcel, Parcel.manifest_id == Manifest.id)
        .group_by(Manifest.id, Carrier.name, Warehouse.name)
        .order_by(Manifest.id.desc())
        .limit(limit)
    )
    return rows_as(ManifestRow, session, statement)


def to_hand_over(session: Session) -> list[tuple[str, str, str, str, int]]:
    """Returns (carrier key, carrier, warehouse key, warehouse, parcels) for what was dispatched and stands
    on no manifest yet."""
    rows = session.execute(
        select(Carrier.key, Carrier.name, Warehouse.key, Warehouse.name, func.count(Parcel.id))
        .join(Parcel, Parcel.carrier_id == Carrier.id)
        .join(Shipment, Shipment.id == Parcel.shipment_id)
        .join(Warehouse, Warehouse.id == Shipment.warehouse_id)
        .where(
            Parcel.manifest_id.is_(None),
            Parcel.tracking_number.is_not(None),
            Shipment.state == ShipmentState.DISPATCHED,
        )
        .group_by(Carrier.id, Warehouse.id)
        .order_by(Carrier.name, Warehouse.name)
    )
    return [(a, b, c, d, count) for a, b, c, d, count in rows]
