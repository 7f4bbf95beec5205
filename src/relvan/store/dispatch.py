"""Queries over pick lists, picks, shipments and parcels."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Select, delete, func, select
from sqlalchemy.orm import Session

from relvan.core.refusal import not_found
from relvan.core.stock.movements import Reason
from relvan.store.among import among
from relvan.store.built import built_once
from relvan.store.rows import rows_as
from relvan.store.tables import (
    Bin,
    Carrier,
    Movement,
    Order,
    OrderLine,
    Parcel,
    ParcelLine,
    Person,
    Pick,
    PickList,
    Product,
    ProductPicture,
    Shipment,
    ShipmentLine,
    SkuName,
    Warehouse,
)


def shipment_by_id(session: Session, shipment_id: int) -> Shipment:
    """Returns the shipment with an id."""
    shipment = session.get(Shipment, shipment_id)
    if shipment is None:
        raise not_found("shipment", shipment_id)
    return shipment


def shipments_by_id(session: Session, shipment_ids: Collection[int]) -> dict[int, Shipment]:
    """Returns those shipments that there are, by their ids."""
    wanted = select(Shipment).where(among(Shipment.id, shipment_ids))
    return {shipment.id: shipment for shipment in session.scalars(wanted)}


def pick_list_by_id(session: Session, pick_list_id: int) -> PickList:
    """Returns the pick list with an id."""
    pick_list = session.get(PickList, pick_list_id)
    if pick_list is None:
        raise not_found("pick list", pick_list_id)
    return pick_list


def shipment_lines(session: Session, shipment_ids: Collection[int]) -> list[ShipmentLine]:
    """Returns the lines of shipments, in order."""
    return list(session.scalars(*_lines_of_shipments(shipment_ids)))


@built_once
def _lines_of_shipments(shipment_ids: Collection[int]) -> Select[ShipmentLine]:
    lines = select(ShipmentLine).where(among(ShipmentLine.shipment_id, shipment_ids))
    return lines.order_by(ShipmentLine.id)


@dataclass(frozen=True)
class PickRow:
    """One pick of a pick list."""

    id: int
    position: int
    sku: str
    title: str
    gtin: str | None
    bin: str | None
    quantity: int
    picked: int | None
    shipment: str
    shipment_id: int
    order: str
    tote: int | None
    picture: str | None

    @property
    def taken_as(self) -> tuple[str | None, str, int | None]:
        """What is equal of picks that are taken in one hand: bin, SKU and tote."""
        return self.bin, self.sku, self.tote


def pick_rows(session: Session, pick_list_id: int) -> list[PickRow]:
    """Returns the picks of a pick list in the order of its route."""
    picture = (
        select(ProductPicture.sha)
        .where(ProductPicture.product_id == Product.id)
        .order_by(ProductPicture.position)
        .limit(1)
        .scalar_subquery()
    )
    statement = (
        select(
            Pick.id,
            Pick.position,
            Product.sku,
            Product.title,
            Product.gtin,
            Bin.code,
            Pick.quantity,
            Pick.picked,
            Shipment.number,
            Shipment.id,
            Order.number,
            Pick.tote,
            picture,
        )
        .join(Product, Product.id == Pick.product_id)
        .join(ShipmentLine, ShipmentLine.id == Pick.shipment_line_id)
        .join(Shipment, Shipment.id == ShipmentLine.shipment_id)
        .join(Order, Order.id == Shipment.order_id)
        .outerjoin(Bin, Bin.id == Pick.bin_id)
        .where(Pick.pick_list_id == pick_list_id)
        .order_by(Pick.position)
    )
    return rows_as(PickRow, session, statement)


@dataclass(frozen=True)
class PickListRow:
    """A pick list as a list shows it."""

    id: int
    number: str
    state: str
    warehouse: str
    warehouse_key: str
    who: str
    created_at: datetime
    name: str
    kind: str
    sort: str
    login: str
    picks: int
    done: int


def pick_list_rows(
    session: Session, *, states: Collection[str] = (), pick_list_id: int | None = None
) -> list[PickListRow]:
    """Returns pick lists, the newest first."""
    statement = (
        select(
            PickList.id,
            PickList.number,
            PickList.state,
            Warehouse.name,
            Warehouse.key,
            func.coalesce(Person.name, "Relvan"),
            PickList.created_at,
            PickList.name,
            PickList.kind,
            PickList.sort,
            func.coalesce(Person.login, ""),
            func.count(Pick.id),
            func.count(Pick.picked),
        )
        .join(Warehouse, Warehouse.id == PickList.warehouse_id)
        .outerjoin(Person, Person.id == PickList.person_id)
        .outerjoin(Pick, Pick.pick_list_id == PickList.id)
        .group_by(PickList.id, Warehouse.id, Person.id)
        .order_by(PickList.id.desc())
        .limit(100)
    )
    if states:
        statement = statement.where(PickList.state.in_(states))
    if pick_list_id is not None:
        statement = statement.where(PickList.id == pick_list_id)
    return rows_as(PickListRow, session, statement)


@dataclass(frozen=True)
class ShipmentLineRow:
    """One line of a shipment; `packed` of its units lie in a parcel."""

    id: int
    sku: str
    title: str
    quantity: int
    picked: int
    packed: int
    weight_g: int | None


def shipment_line_rows(session: Session, shipment_id: int) -> list[ShipmentLineRow]:
    """Returns the lines of a shipment with the units that are packed."""
    packed = (
        select(func.coalesce(func.sum(ParcelLine.quantity), 0))
        .where(ParcelLine.shipment_line_id == ShipmentLine.id)
        .scalar_subquery()
    )
    statement = (
        select(
            ShipmentLine.id,
            Product.sku,
            Product.title,
            ShipmentLine.quantity,
            ShipmentLine.picked,
            packed,
            Product.weight_g,
        )
        .join(Product, Product.id == ShipmentLine.product_id)
        .where(ShipmentLine.shipment_id == shipment_id)
        .order_by(ShipmentLine.id)
    )
    return rows_as(ShipmentLineRow, session, statement)


def parcels_of(session: Session, shipment_id: int) -> list[Parcel]:
    """Returns the parcels of a shipment in order."""
    return list(session.scalars(*_parcels_in(shipment_id)))


@built_once
def _parcels_in(shipment_id: int) -> Select[Parcel]:
    return select(Parcel).where(Parcel.shipment_id == shipment_id).order_by(Parcel.position)


@dataclass(frozen=True)
class ParcelRow:
    """A parcel on the page of its order."""

    id: int
    shipment_id: int
    position: int
    weight_g: int
    carrier: str
    service: str
    tracking_number: str | None
    stage: str
    stage_at: datetime | None
    arrives_on: str | None
    track_address: str


def parcel_rows(session: Session, order_id: int) -> list[ParcelRow]:
    """Returns the parcels of all shipments of an order, in order."""
    statement = (
        select(
            Parcel.id,
            Parcel.shipment_id,
            Parcel.position,
            Parcel.weight_g,
            func.coalesce(Carrier.name, Parcel.service),
            Parcel.service,
            Parcel.tracking_number,
            Parcel.stage,
            Parcel.stage_at,
            Parcel.arrives_on,
            Parcel.track_address,
        )
        .join(Shipment, Shipment.id == Parcel.shipment_id)
        .outerjoin(Carrier, Carrier.id == Parcel.carrier_id)
        .where(Shipment.order_id == order_id)
        .order_by(Shipment.id, Parcel.position)
    )
    return rows_as(ParcelRow, session, statement)


def parcels_by_order(
    session: Session, order_ids: Collection[int]
) -> dict[int, list[tuple[int, str, str]]]:
    """Returns (shipment, carrier, tracking number) of the parcels with a label, by order. Of what a
    marketplace's centre has sent, the carrier is the name that the centre tells."""
    wanted = (
        select(
            Shipment.order_id,
            Shipment.id,
            func.coalesce(Carrier.name, Parcel.service),
            Parcel.tracking_number,
        )
        .join(Parcel, Parcel.shipment_id == Shipment.id)
        .outerjoin(Carrier, Carrier.id == Parcel.carrier_id)
        .where(among(Shipment.order_id, order_ids), Parcel.tracking_number.is_not(None))
        .order_by(Shipment.id, Parcel.position)
    )
    found: dict[int, list[tuple[int, str, str]]] = {}
    for order_id, shipment_id, carrier, number in session.execute(wanted):
        found.setdefault(order_id, []).append((shipment_id, carrier, number or ""))
    return found


def parcel_by_id(session: Session, parcel_id: int) -> Parcel:
    """Returns the parcel with an id."""
    parcel = session.get(Parcel, parcel_id)
    if parcel is None:
        raise not_found("parcel", parcel_id)
    return parcel


@dataclass(frozen=True)
class ParcelContent:
    """Units of a product in a parcel."""

    parcel_id: int
    sku: str
    title: str
    quantity: int


def parcel_contents(session: Session, shipment_id: int) -> list[ParcelContent]:
    """Returns what lies in the parcels of a shipment."""
    statement = (
        select(ParcelLine.parcel_id, Product.sku, Product.title, ParcelLine.quantity)
        .join(ShipmentLine, ShipmentLine.id == ParcelLine.shipment_line_id)
        .join(Product, Product.id == ShipmentLine.product_id)
        .where(ShipmentLine.shipment_id == shipment_id)
        .order_by(ParcelLine.id)
    )
    return rows_as(ParcelContent, session, statement)


@dataclass(frozen=True)
class PickTarget:
    """A pick with the codes that a scanner may read for it."""

    pick: Pick
    sku: str
    gtin: str | None
    aliases: tuple[str, ...]
    order_line: OrderLine
    shipment_line: ShipmentLine
    shipment: Shipment


def pick_target(session: Session, pick_list_id: int, pick_id: int) -> PickTarget:
    """Returns one pick of a pick list with its product, bin and codes."""
    found = session.execute(
        select(Pick, Product.sku, Product.gtin, OrderLine, ShipmentLine, Shipment)
        .join(Product, Product.id == Pick.product_id)
        .join(ShipmentLine, ShipmentLine.id == Pick.shipment_line_id)
        .join(OrderLine, OrderLine.id == ShipmentLine.order_line_id)
        .join(Shipment, Shipment.id == ShipmentLine.shipment_id)
        .where(Pick.id == pick_id, Pick.pick_list_id == pick_list_id)
    ).first()
    if found is None:
        raise not_found("pick", pick_id)
    pick, sku, gtin, order_line, line, shipment = found
    aliases = session.scalars(
        select(SkuName.sku).where(SkuName.product_id == pick.product_id, SkuName.alias.is_(True))
    )
    return PickTarget(pick, sku, gtin, tuple(aliases), order_line, line, shipment)


def is_packed(session: Session, shipment_id: int) -> bool:
    """Says whether a shipment has a parcel."""
    return (
        session.scalar(select(Parcel.id).where(Parcel.shipment_id == shipment_id).limit(1))
        is not None
    )


def short_movements(session: Session, target: PickTarget) -> list[Movement]:
    """Returns the movements by which short picks blocked what was not found, as far as they have
    not been undone. Where a shipment was short of a product in the same bin twice, only the latest
    is returned.
    """
    if target.pick.bin_id is None:
        return []
    undone = select(func.replace(Movement.request_key, "undo:", "")).where(
        Movement.shipment_id == target.shipment.id, Movement.reason == Reason.UNDO
    )
    ids = [int(key) for key in session.scalars(undone) if key]
    statement = (
        select(Movement)
        .where(Movement.shipment_id == target.shipment.id, Movement.reason == Reason.SHORT_PICK)
        .where(Movement.bin_id == target.pick.bin_id, Movement.product_id == target.pick.product_id)
        .where(Movement.id.not_in(ids), Movement.at == target.pick.picked_at)
        .order_by(Movement.id.desc())
        .limit(1)
    )
    return list(session.scalars(statement))


def last_position(session: Session, shipment_id: int) -> int:
    """Returns the position of the last parcel of a shipment, or 0 when it has none."""
    return (
        session.scalar(select(func.max(Parcel.position)).where(Parcel.shipment_id == shipment_id))
        or 0
    )


def parcel_lines(session: Session, parcel_id: int) -> list[ParcelLine]:
    """Returns what lies in a parcel, by line of its shipment."""
    return list(session.scalars(select(ParcelLine).where(ParcelLine.parcel_id == parcel_id)))


def carrier_names(session: Session) -> dict[int, str]:
    """Returns the names of carrier accounts by id."""
    return dict(session.execute(select(Carrier.id, Carrier.name)).all())


def forget_contents(session: Session, shipment_id: int) -> None:
    """Empties the parcels of a shipment, and deletes those for which no label was asked."""
    parcels = select(Parcel.id).where(Parcel.shipment_id == shipment_id)
    session.execute(delete(ParcelLine).where(ParcelLine.parcel_id.in_(parcels)))
    session.execute(
        delete(Parcel).where(Parcel.shipment_id == shipment_id, Parcel.label_key.is_(None))
    )
