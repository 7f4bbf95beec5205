"""Queries over the list of orders: which orders a page shows, how many there are, their numbers."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import ColumnElement, func, or_, select
from sqlalchemy.orm import Session

from relvan.core.orders.facts import Extent
from relvan.store.counting import Count, count_up_to
from relvan.store.portable import part_of
from relvan.store.rows import rows_as
from relvan.store.sorting import Sorting, sort_page
from relvan.store.tables import (
    Channel,
    Order,
    Parcel,
    Shipment,
)


@dataclass(frozen=True)
class OrderFilter:
    """Says which orders a page shows. Values of the progress are `none`, `part`, `all`, or `open`
    for none or part.
    """

    words: str = ""
    tray: str = ""
    channel: str = ""
    reserved: str = ""
    picked: str = ""
    shipped: str = ""
    invoiced: str = ""
    paid: str = ""


PROGRESS = {
    "reserved": Order.fact_reserved,
    "picked": Order.fact_picked,
    "shipped": Order.fact_shipped,
    "invoiced": Order.fact_invoiced,
    "paid": Order.fact_paid,
}


@dataclass(frozen=True)
class OrderRow:
    """One order in a list; amounts are in minor units."""

    id: int
    number: str
    channel: str | None
    channel_key: str | None
    channel_number: str | None
    tray: str
    customer: str
    country: str
    units: int
    total: int
    currency: str
    placed_at: datetime
    words: str


def _order_conditions(wanted: OrderFilter) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = []
    if wanted.tray:
        found.append(Order.tray == wanted.tray)
    if wanted.channel == "none":
        found.append(Order.channel_id.is_(None))
    elif wanted.channel:
        found.append(
            Order.channel_id
            == select(Channel.id).where(Channel.key == wanted.channel).scalar_subquery()
        )
    for name, column in PROGRESS.items():
        value = getattr(wanted, name)
        if value == "open":
            found.append(column != Extent.ALL)
        elif value:
            found.append(column == value)
    if wanted.words:
        found.append(_by_words(wanted.words))
    return found


def _by_words(words: str) -> ColumnElement[bool]:
    """Returns the condition that an order's number, customer's name or tracking number begins with
    some words.
    """
    text = words.strip().replace("%", "").replace("_", "")
    tracked = (
        select(Shipment.order_id)
        .join(Parcel, Parcel.shipment_id == Shipment.id)
        .where(Parcel.tracking_number == text.upper())
    )
    return or_(
        Order.number.like(f"{text}%"),
        Order.channel_number.like(f"{text}%"),
        Order.customer.like(f"{text}%"),
        Order.id.in_(tracked),
    )


SORTING = Sorting(
    {
        "placed": Order.placed_at,
        "channel": func.coalesce(Order.channel_id, 0),
        "customer": Order.customer,
        "units": Order.units,
        "total": Order.total,
        "tray": Order.tray,
        "open": Order.words,
    },
    key=Order.id,
    key_down=True,
)


def order_page(
    session: Session, wanted: OrderFilter, *, after: int = 0, limit: int = 50, sort: str = ""
) -> list[OrderRow]:
    """Returns orders, the newest first or sorted by a column of `SORTING`, starting after one of
    them; one query, and a second one to continue.
    """
    statement = (
        select(
            Order.id,
            Order.number,
            Channel.name,
            Channel.key,
            Order.channel_number,
            Order.tray,
            Order.customer,
            part_of(Order.ship_to, "country"),
            Order.units,
            Order.total,
            Order.currency,
            Order.placed_at,
            Order.words,
        )
        .outerjoin(Channel, Channel.id == Order.channel_id)
        .where(*_order_conditions(wanted))
    )
    return rows_as(OrderRow, session, sort_page(session, statement, SORTING, sort, after, limit))


def order_numbers(session: Session, wanted: OrderFilter, most: int) -> list[str]:
    """Returns the numbers of the orders that a filter finds, the oldest first, because they are
    served first.
    """
    statement = (
        select(Order.number).where(*_order_conditions(wanted)).order_by(Order.placed_at, Order.id)
    )
    return list(session.scalars(statement.limit(most)))


def count_orders(session: Session, wanted: OrderFilter) -> Count:
    """Returns how many orders a filter finds, counted up to 10,000."""
    return count_up_to(session, select(Order.id).where(*_order_conditions(wanted)), wanted)
