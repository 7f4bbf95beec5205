"""Chooses by which index a very long list of orders is read (docs/decisions/035).

Orders that stand alike share a mark: their tray and how far each progress has come. A long list has a
few hundred of these marks, so what a filter asks of tray, progress, channel and country comes to a few
ranges of one index. Where they, or its other conditions, find few orders, these are read and sorted.
Where they find many, the orders are read in the order of the list until the page is full.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Any, TypeVarTuple

from sqlalchemy import (
    ColumnElement,
    Integer,
    Select,
    Text,
    UnaryExpression,
    false,
    func,
    literal_column,
    select,
)
from sqlalchemy.orm import Session
from sqlalchemy.sql.operators import custom_op

from relvan.store.among import among
from relvan.store.built import bare_rows
from relvan.store.order_filter import (
    PROGRESS,
    OrderFilter,
    extents_of,
    other_conditions,
    standing_conditions,
)
from relvan.store.sorting import Sorting
from relvan.store.tables import Channel, Order
from relvan.store.tables.orders import STANDING

Columns = TypeVarTuple("Columns")
FEW = 15_000  # of so many the wanted ones are read and sorted
BY_STANDING = "INDEXED BY ix_customer_order_standing"
# how the orders are read in the order of a list; without a sort they lie in that order
IN_ORDER = {
    "": "NOT INDEXED",
    "placed": "INDEXED BY ix_customer_order_placed_at",
    "channel": "INDEXED BY ix_customer_order_channel",
    "customer": "INDEXED BY ix_customer_order_customer",
    "units": "INDEXED BY ix_customer_order_units",
    "total": "INDEXED BY ix_customer_order_total",
    "tray": "INDEXED BY ix_customer_order_tray",
    "open": "INDEXED BY ix_customer_order_words",
    "country": "INDEXED BY ix_customer_order_country",
    "since": "INDEXED BY ix_customer_order_since",
}
# as the indexes spell them: a parameter in place of the 0 would not be found
MARK: ColumnElement[str] = literal_column(
    "(" + " || ' ' || ".join(f"customer_order.{name}" for name in STANDING) + ")", Text
)
CHANNEL: ColumnElement[int] = literal_column("coalesce(customer_order.channel_id, 0)", Integer)
SINCE: ColumnElement[Any] = literal_column(
    "coalesce(customer_order.tray_since, customer_order.taken_at)", Order.taken_at.type
)
SORTING = Sorting(
    {
        "placed": Order.placed_at,
        "channel": CHANNEL,
        "customer": Order.customer,
        "units": Order.units,
        "total": Order.total,
        "tray": Order.tray,
        "open": Order.words,
        "country": Order.country,
        "since": SINCE,
    },
    key=Order.id,
    key_down=True,
)


def _later(column: Any) -> UnaryExpression[Any]:
    """Returns a column as SQLite sorts by it only after it has found the rows."""
    return UnaryExpression(column, operator=custom_op("+"), type_=column.type)


# SQLite would rather read an index in the order of the list, however few of its orders are wanted
SORTED_LATER = Sorting(
    {name: _later(column) for name, column in SORTING.columns.items()},
    key=_later(Order.id),
    key_down=True,
)


@dataclass(frozen=True)
class OrderPath:
    """How the orders of a filter are read: under which conditions, by which index if one is chosen,
    and whether they are few, so that they are sorted. `number` is how many there are, if that is
    known. In a list that is not long all this is left to the database."""

    conditions: Sequence[ColumnElement[bool]]
    index: str = ""
    few: bool = False
    number: int | None = None
    is_long: bool = True

    def all_of(self, statement: Select[*Columns]) -> Select[*Columns]:
        """Returns a query of all these orders."""
        return _read_by(statement.where(*self.conditions), self.index)

    def in_order(self, statement: Select[*Columns], sort: str) -> Select[*Columns]:
        """Returns a query of the first of these orders in the order of a list."""
        index = self.index
        if self.is_long and not self.few:
            index = IN_ORDER[sort.removeprefix("-")]
        return _read_by(statement.where(*self.conditions), index)


def _read_by(statement: Select[*Columns], index: str) -> Select[*Columns]:
    return statement.with_hint(Order, index, "sqlite") if index else statement


def path_of(session: Session, wanted: OrderFilter) -> OrderPath:
    """Chooses how the orders of a filter are read. Where there are few orders in all, or all are
    wanted, the database chooses itself. A session that only reads chooses once for each filter.
    """
    if session.autoflush:
        return _choose(session, wanted)
    known: dict[OrderFilter, OrderPath] = session.info.setdefault("order_paths", {})
    if wanted not in known:
        known[wanted] = _choose(session, wanted)
    return known[wanted]


def _choose(session: Session, wanted: OrderFilter) -> OrderPath:
    standing, others = standing_conditions(wanted), other_conditions(session, wanted)
    asks = bool(standing or others)
    if not asks or (bare_rows(session, _last_order()).scalar() or 0) <= FEW:
        return OrderPath([*standing, *others], is_long=False)
    if standing:
        asked = _ranges(session, wanted)
        if not asked.marks or not asked.channels:
            return OrderPath([false()], few=True, number=0)
        number = _count_up_to(session, asked.conditions, BY_STANDING)
        if number <= FEW:
            known = None if others else number
            return OrderPath([*asked.conditions, *others], BY_STANDING, few=True, number=known)
        if wanted.channel:
            standing = standing_conditions(replace(wanted, channel=()))
            standing += _bounded(CHANNEL, asked.channels)
    if others and (number := _count_up_to(session, others)) <= FEW:
        known = None if standing else number
        return OrderPath([*standing, *others], few=True, number=known)
    return OrderPath([*standing, *others])


def _bounded(column: ColumnElement[int], values: Sequence[int]) -> list[ColumnElement[bool]]:
    """Returns the condition that a column is one of these values, with the bounds by which SQLite
    reads an index over an expression in its order."""
    return [column >= min(values), column <= max(values), among(column, values)]


@dataclass(frozen=True)
class _Ranges:
    """What a filter asks of tray, progress, channel and country, as ranges of the index of what
    stands alike. There are none where it asks for no mark or no channel that exists."""

    marks: Sequence[str]
    channels: Sequence[int]
    countries: Sequence[str]

    @property
    def conditions(self) -> list[ColumnElement[bool]]:
        found = [among(MARK, self.marks), among(CHANNEL, self.channels)]
        return [*found, among(Order.country, self.countries)] if self.countries else found


def _ranges(session: Session, wanted: OrderFilter) -> _Ranges:
    extents = extents_of(wanted)
    marks = [mark for mark in _marks(session) if _is_wanted(mark, wanted.tray, extents)]
    channels = {**dict(bare_rows(session, _channel_keys()).all()), "none": 0}
    asked = [channels[key] for key in wanted.channel or channels if key in channels]
    return _Ranges(marks, asked, wanted.country)


def _is_wanted(mark: str, trays: Collection[str], extents: Mapping[str, Collection[str]]) -> bool:
    tray, *reached = mark.rsplit(" ", len(PROGRESS))
    if trays and tray not in trays:
        return False
    return all(
        reached[place] in extents[name] for place, name in enumerate(PROGRESS) if name in extents
    )


def _marks(session: Session) -> list[str]:
    """Returns the marks of all orders, by as many steps in the index as there are marks."""
    return list(bare_rows(session, _all_marks()).scalars())


@cache
def _all_marks() -> Select[str]:
    first = select(func.min(MARK)).select_from(Order)
    found = select(first.scalar_subquery().label("mark")).cte("found", recursive=True)
    following = first.where(found.c.mark < MARK).correlate(found)
    found = found.union_all(select(following.scalar_subquery()).where(found.c.mark.is_not(None)))
    return select(found.c.mark).where(found.c.mark.is_not(None))


@cache
def _last_order() -> Select[int]:
    return select(func.max(Order.id))


@cache
def _channel_keys() -> Select[str, int]:
    return select(Channel.key, Channel.id)


def _count_up_to(
    session: Session, conditions: Sequence[ColumnElement[bool]], index: str = ""
) -> int:
    """Counts orders no further than one above `FEW`."""
    found = _read_by(select(Order.id).where(*conditions).limit(FEW + 1), index)
    counted = select(func.count()).select_from(found.subquery())
    return bare_rows(session, counted).scalar() or 0
