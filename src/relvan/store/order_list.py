"""Queries over the list of orders: which orders a page shows, how many there are, their numbers."""

from dataclasses import dataclass, replace
from datetime import datetime
from typing import NamedTuple

from sqlalchemy import func, select, text, type_coerce
from sqlalchemy.orm import Session

from relvan.store.counting import MOST_COUNTED, Count, count_up_to
from relvan.store.order_filter import PROGRESS, OrderFilter
from relvan.store.order_paths import SORTED_LATER, SORTING, path_of
from relvan.store.order_search import NEWEST
from relvan.store.rows import rows_as
from relvan.store.sorting import sort_page
from relvan.store.tables import Channel, Order, Person
from relvan.store.tables.orders import WAITS


@dataclass(frozen=True)
class OrderRow:
    """One order in a list; amounts are in minor units."""

    id: int
    number: str
    channel: str | None
    channel_key: str | None
    channel_number: str | None
    tray: str
    reserved: str
    picked: str
    shipped: str
    invoiced: str
    paid: str
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


def order_page(
    session: Session, wanted: OrderFilter, *, after: int = 0, limit: int = 50, sort: str = ""
) -> list[OrderRow]:
    """Returns orders, the newest first or sorted by a column of `SORTING`, starting after one of
    them."""
    path = path_of(session, wanted)
    in_box = session.get_bind().dialect.name == "sqlite"
    sorting = SORTED_LATER if path.few and in_box else SORTING
    page = sort_page(session, path.in_order(select(Order.id), sort), sorting, sort, after, limit)
    rows = (
        select(
            Order.id,
            Order.number,
            Channel.name,
            Channel.key,
            Order.channel_number,
            Order.tray,
            *PROGRESS.values(),
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
        .where(Order.id.in_(page))
    )
    sorted_rows = sort_page(session, rows, SORTED_LATER if in_box else SORTING, sort, 0, limit)
    return rows_as(OrderRow, session, sorted_rows)


def order_numbers(session: Session, wanted: OrderFilter, most: int) -> list[str]:
    """Returns the numbers of the orders that a filter finds, the oldest first, because they are
    served first.
    """
    statement = path_of(session, wanted).in_order(select(Order.number), "placed")
    return list(session.scalars(statement.order_by(Order.placed_at, Order.id).limit(most)))


def count_orders(session: Session, wanted: OrderFilter) -> Count:
    """Returns how many orders a filter finds, counted up to 10,000, or with words up to 5,000."""
    path = path_of(session, wanted)
    most = NEWEST - 1 if wanted.words else MOST_COUNTED
    if path.number is not None:
        return Count(path.number, most)
    return count_up_to(session, path.all_of(select(Order.id)), wanted, most)


def worth_of_orders(session: Session, wanted: OrderFilter) -> Count:
    """Returns how many orders a filter finds, as `count_orders` does, with their totals by currency."""
    count = count_orders(session, wanted)
    if not count or count.number > count.most:
        return count
    sums = path_of(session, wanted).all_of(select(Order.currency, func.sum(Order.total)))
    sums = sums.group_by(Order.currency).order_by(func.count().desc(), Order.currency)
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
        .where(text(WAITS))
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
