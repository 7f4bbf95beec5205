"""Finds rows by a list of values that travels as one parameter, so that a thousand values cost no
more to prepare than one.
"""

from collections.abc import Iterable
from typing import Any

import orjson
from sqlalchemy import (
    BindParameter,
    ColumnElement,
    Integer,
    Select,
    Text,
    cast,
    select,
    type_coerce,
)
from sqlalchemy.orm import Session

from relvan.store.portable import json_items

MOST_READ = 1_000  # ids that a query finds are read first up to so many
FEW = 40  # for so many a parameter each is sooner prepared


def among(column: Any, values: Iterable[Any]) -> ColumnElement[bool]:
    """Returns the condition that a column is one of these values, which are whole numbers or texts.
    Numbers that follow one another become a range. In a statement that is built once, the values
    are the parameter that will hold them (`relvan.store.built`).
    """
    if isinstance(values, BindParameter):
        return _in_json(column, type_coerce(values, Text), isinstance(column.type, Integer))
    wanted = list(values)
    if len(wanted) <= FEW:
        return column.in_(wanted)  # type: ignore[no-any-return]
    whole = wanted[0].__class__ is int
    if whole and wanted == list(range(wanted[0], wanted[-1] + 1)):
        return column.between(wanted[0], wanted[-1])  # type: ignore[no-any-return]
    return _in_json(column, orjson.dumps(wanted).decode(), whole)


def among_found(session: Session, column: Any, found: Select[Any]) -> ColumnElement[bool]:
    """Returns the condition that a column is one of the ids that a query of one column finds. They
    are read first when they are few. When they are many, each row of the column is looked up among
    them by itself, so that a page that is soon full need not read all of them.
    """
    ids = list(session.scalars(found.limit(MOST_READ + 1)))
    if len(ids) <= MOST_READ:
        return among(column, ids)
    (one,) = found.selected_columns
    return found.where(one == column).exists()


def _in_json(column: Any, listed: Any, whole: bool) -> ColumnElement[bool]:
    items: Any = json_items(listed).table_valued("value").c.value
    value = cast(items, Integer) if whole else items
    return column.in_(select(value))  # type: ignore[no-any-return]
