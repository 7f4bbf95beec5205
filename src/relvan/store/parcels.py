"""Queries over parcels that have left: how far they are, what they cost, and claims."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import ColumnElement, and_, func, or_, select, update
from sqlalchemy.orm import Session

from relvan.core.shipping.life import ShipmentState
from relvan.core.shipping.tracking import ENDED, SILENT, ParcelStage, ParcelStanding
from relvan.store.among import among
from relvan.store.portable import insert_into
from relvan.store.rows import rows_as
from relvan.store.tables import (
    Carrier,
    Manifest,
    Order,
    OrderLine,
    Parcel,
    ParcelEvent,
    ParcelLine,
    Product,
    Shipment,
    ShipmentLine,
    Warehouse,
)

GOING = tuple(stage for stage in ParcelStage if stage not in ENDED)
LEFT = (Parcel.tracking_number.is_not(None), Shipment.state == ShipmentState.DISPATCHED)


def parcels_to_follow(
    session: Session, carrier_id: int, left_since: datetime, asked_before: datetime, limit: int
) -> list[Parcel]:
    """Returns parcels of a carrier that have left since a moment, are under way, and were not asked about
    since another one; those that were never asked about first."""
    wanted = (
        select(Parcel)
        .join(Shipment, Shipment.id == Parcel.shipment_id)
        .where(
            Parcel.carrier_id == carrier_id,
            *LEFT,
            Parcel.stage.in_(GOING),
            Shipment.dispatched_at >= left_since,
            or_(Parcel.tracked_at.is_(None), Parcel.tracked_at < asked_before),
        )
        .order_by(Parcel.tracked_at.is_not(None), Parcel.tracked_at, Parcel.id)
        .limit(limit)
    )
    return list(session.scalars(wanted))


def parcels_by_id(session: Session, parcel_ids: Collection[int]) -> list[Parcel]:
    """Returns parcels by their ids."""
    return list(session.scalars(select(Parcel).where(among(Parcel.id, parcel_ids))))


def orders_of_parcels(session: Session, parcel_ids: Collection[int]) -> dict[int, Order]:
    """Returns the order of each parcel."""
    wanted = (
        select(Parcel.id, Order)
        .join(Shipment, Shipment.id == Parcel.shipment_id)
        .join(Order, Order.id == Shipment.order_id)
        .where(among(Parcel.id, parcel_ids))
    )
    return dict(session.execute(wanted).all())


def add_parcel_events(session: Session, rows: Sequence[dict[str, Any]]) -> None:
    """Adds what has happened to parcels; what is known already is not added again."""
    if rows:
        statement = insert_into(session, ParcelEvent).values(list(rows))
        keys = [ParcelEvent.parcel_id, ParcelEvent.at, ParcelEvent.stage]
        session.execute(statement.on_conflict_do_nothing(index_elements=keys))


def parcel_events(session: Session, parcel_ids: Collection[int]) -> dict[int, list[ParcelEvent]]:
    """Returns what has happened to parcels, the latest first."""
    wanted = select(ParcelEvent).where(among(ParcelEvent.parcel_id, parcel_ids))
    found: dict[int, list[ParcelEvent]] = {}
    for event in session.scalars(wanted.order_by(ParcelEvent.at.desc(), ParcelEvent.id.desc())):
        found.setdefault(event.parcel_id, []).append(event)
    return found


def standing_is(standing: ParcelStanding, now: datetime) -> ColumnElement[bool]:
    """Returns the condition that a parcel has a standing; it says the same as
    `core.shipping.tracking.parcel_standing`."""
    if standing == ParcelStanding.DELIVERED:
        return Parcel.stage == ParcelStage.DELIVERED
    if standing == ParcelStanding.LOST:
        return Parcel.stage == ParcelStage.LOST
    late = and_(Parcel.arrives_on.is_not(None), Parcel.arrives_on < now.date().isoformat())
    silent = and_(Parcel.stage_at.is_not(None), Parcel.stage_at <= now - SILENT)
    going = Parcel.stage.in_(GOING)
    if standing == ParcelStanding.MISSING:
        return and_(going, late, silent)
    if standing == ParcelStanding.LATE:
        return and_(going, late, or_(Parcel.stage_at.is_(None), Parcel.stage_at > now - SILENT))
    return and_(
        going, or_(Parcel.arrives_on.is_(None), Parcel.arrives_on >= now.date().isoformat())
    )


@dataclass(frozen=True)
class LeftParcel:
    """A parcel that has left, as the list of parcels shows it; money is in minor units."""

    id: int
    shipment_id: int
    tracking_number: str
    carrier: str
    service: str
    services: dict[str, str]
    order: str
    receiver: str
    country: str
    dispatched_at: datetime | None
    arrives_on: str | None
    stage: str
    stage_at: datetime | None
    price: int | None
    charged: int | None
    charge_reason: str
    currency: str
    claim_state: str
    claim_amount: int | None
    weight_g: int
    manifest: str | None

    @property
    def service_name(self) -> str:
        """The name of the service, or its key where the carrier names it no more."""
        return self.services.get(self.service, self.service)


class ParcelList(StrEnum):
    """The lists of parcels that there are: those with a standing, those to look at (late or lost without
    a claim), those that are charged otherwise than quoted, and those with a claim."""

    LOOK = "look"
    UNDER_WAY = "under way"
    LATE = "late"
    MISSING = "missing"
    LOST = "lost"
    DELIVERED = "delivered"
    CHARGED = "charged"
    CLAIMS = "claims"


@dataclass(frozen=True)
class ParcelWish:
    """Which parcels are wanted: those of a list, of a carrier account (by key; empty for all), and from
    which id downwards."""

    shown: ParcelList = ParcelList.UNDER_WAY
    carrier: str = ""
    before_id: int = 0


def _wanted(wish: ParcelWish, now: datetime) -> list[ColumnElement[bool]]:
    if wish.shown == ParcelList.LOOK:
        delivered = Parcel.stage == ParcelStage.DELIVERED
        found = [Parcel.late_at.is_not(None), ~delivered, Parcel.claim_state == ""]
    elif wish.shown == ParcelList.CHARGED:
        found = [Parcel.charged.is_not(None), Parcel.charged != Parcel.price]
    elif wish.shown == ParcelList.CLAIMS:
        found = [Parcel.claim_state != ""]
    else:
        found = [standing_is(ParcelStanding(wish.shown), now)]
    if wish.carrier:
        found.append(Carrier.key == wish.carrier)
    if wish.before_id:
        found.append(Parcel.id < wish.before_id)
    return found


def left_parcels(session: Session, wish: ParcelWish, now: datetime, limit: int) -> list[LeftParcel]:
    """Returns parcels that have left, the latest first."""
    statement = (
        select(
            Parcel.id,
            Parcel.shipment_id,
            Parcel.tracking_number,
            Carrier.name,
            Parcel.service,
            Carrier.services,
            Order.number,
            Order.customer,
            Order.country,
            Shipment.dispatched_at,
            Parcel.arrives_on,
            Parcel.stage,
            Parcel.stage_at,
            Parcel.price,
            Parcel.charged,
            Parcel.charge_reason,
            Parcel.currency,
            Parcel.claim_state,
            Parcel.claim_amount,
            Parcel.weight_g,
            Manifest.carrier_number,
        )
        .join(Shipment, Shipment.id == Parcel.shipment_id)
        .join(Order, Order.id == Shipment.order_id)
        .join(Carrier, Carrier.id == Parcel.carrier_id)
        .outerjoin(Manifest, Manifest.id == Parcel.manifest_id)
        .where(*LEFT, *_wanted(wish, now))
        .order_by(Parcel.id.desc())
        .limit(limit)
    )
    return rows_as(LeftParcel, session, statement)


def count_by_list(session: Session, now: datetime) -> dict[ParcelList, int]:
    """Returns how many parcels that were not delivered are on each list of what is not at its end."""
    lists = (
        ParcelList.UNDER_WAY,
        ParcelList.LOOK,
        ParcelList.LATE,
        ParcelList.MISSING,
        ParcelList.LOST,
    )
    wanted = [and_(*_wanted(ParcelWish(one), now)) for one in lists]
    left = select(*(func.count().filter(condition) for condition in wanted))
    statement = (
        left.select_from(Parcel)
        .join(Shipment, Shipment.id == Parcel.shipment_id)
        .where(*LEFT, Parcel.stage.in_([s for s in ParcelStage if s != ParcelStage.DELIVERED]))
    )
    return dict(zip(lists, session.execute(statement).one(), strict=True))


@dataclass(frozen=True)
class LostGoods:
    """Units of a product in a parcel, with what they were sold for and what they cost us, each, in
    minor units."""

    sku: str
    title: str
    quantity: int
    unit_price: int
    currency: str
    cost: int | None


def goods_of_parcels(session: Session, parcel_ids: Collection[int]) -> dict[int, list[LostGoods]]:
    """Returns what lies in parcels with its values."""
    statement = (
        select(
            ParcelLine.parcel_id,
            Product.sku,
            Product.title,
            ParcelLine.quantity,
            OrderLine.unit_price,
            Order.currency,
            Product.cost,
        )
        .join(ShipmentLine, ShipmentLine.id == ParcelLine.shipment_line_id)
        .join(Product, Product.id == ShipmentLine.product_id)
        .join(OrderLine, OrderLine.id == ShipmentLine.order_line_id)
        .join(Order, Order.id == OrderLine.order_id)
        .where(among(ParcelLine.parcel_id, parcel_ids))
        .order_by(ParcelLine.id)
    )
    found: dict[int, list[LostGoods]] = {}
    for parcel_id, sku, title, units, price, currency, cost in session.execute(statement):
        goods = LostGoods(sku, title, units, price, currency, cost)
        found.setdefault(parcel_id, []).append(goods)
    return found


def places_of_parcel(session: Session, parcel_id: int) -> tuple[Shipment, Order, Warehouse]:
    """Returns the shipment, the order and the warehouse of a parcel."""
    wanted = (
        select(Shipment, Order, Warehouse)
        .join(Parcel, Parcel.shipment_id == Shipment.id)
        .join(Order, Order.id == Shipment.order_id)
        .join(Warehouse, Warehouse.id == Shipment.warehouse_id)
        .where(Parcel.id == parcel_id)
    )
    shipment, order, warehouse = session.execute(wanted).one()
    return shipment, order, warehouse


def manifests_without_bill(session: Session, carrier_id: int, limit: int) -> list[Manifest]:
    """Returns manifests that a carrier has taken and not billed yet, the oldest first."""
    wanted = select(Manifest).where(
        Manifest.carrier_id == carrier_id,
        Manifest.carrier_number != "",
        Manifest.billed_at.is_(None),
    )
    return list(session.scalars(wanted.order_by(Manifest.id).limit(limit)))


def keep_charge(session: Session, carrier_id: int, number: str, price: int, reason: str) -> None:
    """Keeps what a carrier charges for one of its parcels."""
    session.execute(
        update(Parcel)
        .where(Parcel.carrier_id == carrier_id, Parcel.tracking_number == number)
        .values(charged=price, charge_reason=reason)
    )
