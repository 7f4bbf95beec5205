"""Queries for what orders earned: lines that were sold, and what their parcels cost."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import case, func, select
from sqlalchemy.orm import Session, aliased

from relvan.store.among import among
from relvan.store.rows import rows_as
from relvan.store.tables import Listing, Order, OrderLine, Parcel, Product, Shipment


@dataclass(frozen=True)
class EarningOrder:
    """An order with the amounts that belong to it as a whole, in minor units."""

    id: int
    number: str
    channel_id: int | None
    currency: str
    with_tax: bool
    delivery_price: int
    credited: int
    placed_at: datetime


def earning_orders(
    session: Session, since: datetime, until: datetime, limit: int
) -> list[EarningOrder]:
    """Returns the orders that were placed in a span of time and stand, the oldest first."""
    wanted = select(
        Order.id,
        Order.number,
        Order.channel_id,
        Order.currency,
        Order.with_tax,
        Order.delivery_price,
        Order.credited,
        Order.placed_at,
    ).where(Order.placed_at >= since, Order.placed_at < until, Order.cancelled_at.is_(None))
    return rows_as(EarningOrder, session, wanted.order_by(Order.placed_at).limit(limit))


def earning_order(session: Session, order_id: int) -> EarningOrder:
    """Returns one order, cancelled or not."""
    row = session.get_one(Order, order_id)
    return EarningOrder(
        row.id,
        row.number,
        row.channel_id,
        row.currency,
        row.with_tax,
        row.delivery_price,
        row.credited,
        row.placed_at,
    )


@dataclass(frozen=True)
class EarningLine:
    """A line that was sold, with what its product costs now and its category on the channel."""

    order_id: int
    id: int
    part_of: int | None
    sku: str
    title: str
    quantity: int
    unit_price: int
    discount: int
    tax: int
    cost: int | None
    kind: str | None
    category: str | None


def earning_lines(session: Session, order_ids: Collection[int]) -> list[EarningLine]:
    """Returns the lines of orders, with those of the parts of kits."""
    listing = aliased(Listing)
    category = (
        select(func.max(listing.category))
        .where(listing.product_id == OrderLine.product_id, listing.channel_id == Order.channel_id)
        .scalar_subquery()
    )
    wanted = (
        select(
            OrderLine.order_id,
            OrderLine.id,
            OrderLine.part_of,
            OrderLine.sku,
            OrderLine.title,
            OrderLine.quantity,
            OrderLine.unit_price,
            OrderLine.discount,
            OrderLine.tax,
            case((OrderLine.cost.is_not(None), OrderLine.cost), else_=Product.cost),
            Product.kind,
            category,
        )
        .join(Order, Order.id == OrderLine.order_id)
        .outerjoin(Product, Product.id == OrderLine.product_id)
        .where(among(OrderLine.order_id, order_ids))
        .order_by(OrderLine.id)
    )
    return rows_as(EarningLine, session, wanted)


def carried(
    session: Session, order_ids: Collection[int]
) -> dict[int, tuple[int, list[tuple[str, int]]]]:
    """Returns (parcels with a label, what they cost as (currency, minor units)) by order."""
    wanted = (
        select(
            Shipment.order_id,
            Parcel.currency,
            func.count(),
            func.coalesce(func.sum(Parcel.price), 0),
        )
        .join(Parcel, Parcel.shipment_id == Shipment.id)
        .where(among(Shipment.order_id, order_ids), Parcel.tracking_number.is_not(None))
        .group_by(Shipment.order_id, Parcel.currency)
    )
    found: dict[int, tuple[int, list[tuple[str, int]]]] = {}
    for order_id, currency, parcels, price in session.execute(wanted):
        before, prices = found.get(order_id, (0, []))
        found[order_id] = (before + int(parcels), [*prices, (currency, int(price or 0))])
    return found
