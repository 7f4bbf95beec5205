"""Queries over the seller's rules of carriage, and over what rules and carriers are told of parcels."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from relvan.core.refusal import not_found
from relvan.core.shipping.carriage import CarriageRule
from relvan.core.shipping.life import ShipmentState
from relvan.store.among import among
from relvan.store.tables import (
    CarriageRuleRow,
    CartonRow,
    OrderLine,
    Parcel,
    ParcelLine,
    Product,
    Shipment,
    ShipmentLine,
)


def carriage_rules(session: Session) -> list[CarriageRule]:
    """Returns all rules in the order in which they are asked."""
    return [CarriageRule.read(row.rule, row.id) for row in carriage_rule_rows(session)]


def carriage_rule_rows(session: Session) -> list[CarriageRuleRow]:
    """Returns the rows of all rules in their order."""
    wanted = select(CarriageRuleRow).order_by(CarriageRuleRow.position, CarriageRuleRow.id)
    return list(session.scalars(wanted))


def carriage_rule_row(session: Session, rule_id: int) -> CarriageRuleRow:
    """Returns a rule by its id."""
    row = session.get(CarriageRuleRow, rule_id)
    if row is None:
        raise not_found("rule of carriage", rule_id)
    return row


@dataclass(frozen=True)
class DeclaredGoods:
    """Units of a product in a parcel with what customs ask for; `price` is what one was sold for, in minor
    units of the order's currency."""

    sku: str
    title: str
    hs_code: str
    origin: str
    weight_g: int
    quantity: int
    price: int


def declared_goods(session: Session, parcel_ids: Collection[int]) -> dict[int, list[DeclaredGoods]]:
    """Returns what lies in parcels, by parcel."""
    rows = session.execute(
        select(
            ParcelLine.parcel_id,
            Product.sku,
            Product.title,
            Product.hs_code,
            Product.origin,
            func.coalesce(Product.weight_g, 0),
            ParcelLine.quantity,
            OrderLine.unit_price,
        )
        .join(ShipmentLine, ShipmentLine.id == ParcelLine.shipment_line_id)
        .join(Product, Product.id == ShipmentLine.product_id)
        .join(OrderLine, OrderLine.id == ShipmentLine.order_line_id)
        .where(among(ParcelLine.parcel_id, parcel_ids))
        .order_by(ParcelLine.id)
    )
    found: dict[int, list[DeclaredGoods]] = {one: [] for one in parcel_ids}
    for parcel_id, sku, title, hs_code, origin, weight, quantity, price in rows:
        goods = DeclaredGoods(sku, title, hs_code, origin, weight, quantity, price)
        found[parcel_id].append(goods)
    return found


def carton_sizes(session: Session) -> dict[str, tuple[int, int, int]]:
    """Returns the lengths of cartons in millimetres by code and by name."""
    found: dict[str, tuple[int, int, int]] = {}
    for row in session.scalars(select(CartonRow)):
        size = (row.length_mm, row.width_mm, row.height_mm)
        found[row.code] = found[row.name] = size
    return found


def sent_shipments(session: Session, since: datetime, limit: int) -> list[Shipment]:
    """Returns shipments that were dispatched with a carrier since a moment, the latest first."""
    with_label = select(Parcel.shipment_id).where(Parcel.carrier_id.is_not(None))
    wanted = select(Shipment).where(
        Shipment.state == ShipmentState.DISPATCHED,
        Shipment.dispatched_at >= since,
        Shipment.id.in_(with_label),
    )
    return list(session.scalars(wanted.order_by(Shipment.dispatched_at.desc()).limit(limit)))


def parcels_of_many(session: Session, shipment_ids: Collection[int]) -> dict[int, list[Parcel]]:
    """Returns the parcels of shipments, by shipment."""
    wanted = select(Parcel).where(among(Parcel.shipment_id, shipment_ids)).order_by(Parcel.position)
    found: dict[int, list[Parcel]] = {one: [] for one in shipment_ids}
    for parcel in session.scalars(wanted):
        found[parcel.shipment_id].append(parcel)
    return found
