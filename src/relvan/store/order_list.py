"""Queries over the list of orders: which orders a page shows, how many there are, their numbers."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from typing import NamedTuple

from sqlalchemy import ColumnElement, and_, func, not_, or_, select, type_coerce
from sqlalchemy.orm import Session

from relvan.core.orders.facts import Extent
from relvan.core.orders.trays import Tray
from relvan.store.counting import Count, count_up_to
from relvan.store.rows import rows_as
from relvan.store.sorting import Sorting, sort_page
from relvan.store.tables import (
    Channel,
    Order,
    OrderLine,
    OrderNotice,
    OrderTag,
    Parcel,
    Person,
    Shipment,
)


@dataclass(frozen=True)
class OrderFilter:
    """Says which orders a page shows. Of several values one is enough; values of the progress are
    `none`, `part`, `all`, or `open` for none or part. `aside` is `yes` or `no`; `assigned` is the id
    of a person, or 0 for nobody; `since` is a moment before which an order came into its tray.
    `unknown` says whether a line of it belongs to no product, and `noticed` whether something of it
    lies before the team; `promised_by` is the last day by which it was promised.
    """

    words: str = ""
    tray: tuple[str, ...] = ()
    channel: tuple[str, ...] = ()
    reserved: tuple[str, ...] = ()
    picked: tuple[str, ...] = ()
    shipped: tuple[str, ...] = ()
    invoiced: tuple[str, ...] = ()
    paid: tuple[str, ...] = ()
    tag: tuple[str, ...] = ()
    country: tuple[str, ...] = ()
    aside: str = ""
    assigned: int | None = None
    since: datetime | None = None
    unknown: bool | None = None
    noticed: bool | None = None
    promised_by: date | None = None


OPEN = (Extent.NONE, Extent.PART)
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
    tray_since: datetime | None
    aside_until: str | None
    aside_reason: str
    assigned: str | None


def _order_conditions(wanted: OrderFilter) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = []
    if wanted.tray:
        found.append(Order.tray.in_(wanted.tray))
    if wanted.channel:
        found.append(_of_channels(wanted.channel))
    if wanted.country:
        found.append(Order.country.in_(wanted.country))
    for name, column in PROGRESS.items():
        extents = _extents(getattr(wanted, name))
        if extents:
            found.append(column.in_(extents))
    if wanted.tag:
        tagged = select(OrderTag.order_id).where(OrderTag.tag.in_(wanted.tag))
        found.append(Order.id.in_(tagged))
    if wanted.aside:
        found.append(
            Order.aside_until.is_not(None) if wanted.aside == "yes" else Order.aside_until.is_(None)
        )
    if wanted.assigned is not None:
        found.append(Order.assigned_id.is_not_distinct_from(wanted.assigned or None))
    if wanted.since is not None:
        found.append(Order.tray_since < wanted.since)
    if wanted.unknown is not None:
        unknown = select(OrderLine.order_id).where(
            OrderLine.product_id.is_(None), OrderLine.is_free.is_(False)
        )
        with_one = and_(Order.id.in_(unknown), Order.cancelled_at.is_(None))
        found.append(with_one if wanted.unknown else not_(with_one))
    if wanted.noticed is not None:
        with_notice = Order.id.in_(select(OrderNotice.order_id))
        found.append(with_notice if wanted.noticed else not_(with_notice))
    if wanted.promised_by is not None:
        found.append(Order.promised_on <= wanted.promised_by.isoformat())
    if wanted.words:
        found.append(_by_words(wanted.words))
    return found


def _extents(values: Sequence[str]) -> tuple[str, ...]:
    """Returns the extents that a progress may have; all three ask for nothing."""
    some = {extent for value in values for extent in (OPEN if value == "open" else (value,))}
    return () if len(some) == len(Extent) else tuple(sorted(some))


def _of_channels(keys: Sequence[str]) -> ColumnElement[bool]:
    named = select(Channel.id).where(Channel.key.in_([key for key in keys if key != "none"]))
    of_some = Order.channel_id.in_(named)
    return or_(of_some, Order.channel_id.is_(None)) if "none" in keys else of_some


def _by_words(words: str) -> ColumnElement[bool]:
    """Returns the condition that an order's number, reference, customer's name or tracking number
    begins with some words.
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
        and_(Order.reference.like(f"{text}%"), Order.reference != ""),
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
        "country": Order.country,
        "since": func.coalesce(Order.tray_since, Order.taken_at),
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
            Order.country,
            Order.units,
            Order.total,
            Order.currency,
            Order.placed_at,
            Order.words,
            Order.tray_since,
            Order.aside_until,
            Order.aside_reason,
            Person.name,
        )
        .outerjoin(Channel, Channel.id == Order.channel_id)
        .outerjoin(Person, Person.id == Order.assigned_id)
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


def worth_of_orders(session: Session, wanted: OrderFilter) -> Count:
    """Returns how many orders a filter finds, as `count_orders` does, with their totals by currency."""
    count = count_orders(session, wanted)
    if not count or count.number > count.most:
        return count
    sums = (
        select(Order.currency, func.sum(Order.total))
        .where(*_order_conditions(wanted))
        .group_by(Order.currency)
        .order_by(func.count().desc(), Order.currency)
    )
    amounts = tuple((currency, int(total or 0)) for currency, total in session.execute(sums))
    return replace(count, amounts=amounts)


def countries_of_orders(session: Session) -> list[str]:
    """Returns the countries to which orders go, in the order of the alphabet, by as many steps in
    the index as there are countries."""
    found: list[str] = []
    last: str | None = ""
    while last is not None:
        last = session.scalar(select(func.min(Order.country)).where(Order.country > last))
        if last is not None:
            found.append(last)
    return found


class Stuck(NamedTuple):
    """What lies in a tray and is not set aside: how many orders, their amounts in minor units by
    currency, and since when the first of them lies there."""

    orders: int
    amounts: tuple[tuple[str, int], ...]
    since: datetime | None


def stuck_in_trays(session: Session) -> dict[str, Stuck]:
    """Returns what lies in each tray whose orders wait."""
    statement = (
        select(
            Order.tray,
            Order.currency,
            func.count(),
            func.sum(Order.total),
            type_coerce(func.min(Order.tray_since), Order.tray_since.type),
        )
        .where(Order.tray.not_in((Tray.CLOSED, Tray.CANCELLED)), Order.aside_until.is_(None))
        .group_by(Order.tray, Order.currency)
        .order_by(Order.tray, func.count().desc(), Order.currency)
    )
    found: dict[str, Stuck] = {}
    for tray, currency, orders, amount, since in session.execute(statement).all():
        before = found.get(tray, Stuck(0, (), None))
        moments = [moment for moment in (before.since, since) if moment is not None]
        amounts = (*before.amounts, (currency, int(amount or 0)))
        found[tray] = Stuck(before.orders + orders, amounts, min(moments, default=None))
    return found
