"""Finds rows by a list of values that travels as one parameter, so that a thousand values cost no
more to prepare than one.
"""

from collections.abc import Iterable
from typing import Any

import orjson
from sqlalchemy import ColumnElement, Integer, cast, select

from relvan.store.portable import json_items

FEW = 40  # for so many a parameter each is sooner prepared


def among(column: Any, values: Iterable[Any]) -> ColumnElement[bool]:
    """Returns the condition that a column is one of these values, which are whole numbers or texts.
    Numbers that follow one another become a range.
    """
    wanted = list(values)
    if len(wanted) <= FEW:
        return column.in_(wanted)  # type: ignore[no-any-return]
    if wanted[0].__class__ is int and wanted == list(range(wanted[0], wanted[-1] + 1)):
        return column.between(wanted[0], wanted[-1])  # type: ignore[no-any-return]
    listed: Any = json_items(orjson.dumps(wanted).decode()).table_valued("value").c.value
    value = cast(listed, Integer) if wanted[0].__class__ is int else listed
    return column.in_(select(value))  # type: ignore[no-any-return]
