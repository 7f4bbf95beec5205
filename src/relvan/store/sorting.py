"""Sorts lists by any of their columns and pages them by key: the next page begins after the last
row of this one, whatever has been added meanwhile.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Select, or_, select
from sqlalchemy.orm import Session


@dataclass(frozen=True)
class Sorting:
    """The columns by which a list can be sorted, by name, each without empty values (`coalesce`).
    `key` is the unique column from which pages continue; `source` is the join to which the columns
    belong, where they are not all of the key's own table.
    """

    columns: Mapping[str, Any]
    key: Any
    key_down: bool = False
    source: Any = None

    def names(self) -> frozenset[str]:
        """Returns the values that `sort` may have; a dash in front turns the direction."""
        return frozenset(self.columns)


def sort_page(
    session: Session,
    statement: Select[*tuple[Any, ...]],
    sorting: Sorting,
    sort: str,
    after: object,
    limit: int,
) -> Select[*tuple[Any, ...]]:
    """Returns the rows of one page, sorted by the column that `sort` names (descending with a dash
    before it) and among equal rows by the key in the same direction; without `sort`, by the key
    alone. `after` is the key of the last row of the page before, or empty at the start.
    """
    name, down = sort.removeprefix("-"), sort.startswith("-")
    column, key = sorting.columns.get(name), sorting.key
    if column is None:
        order = key.desc() if sorting.key_down else key
        if after:
            statement = statement.where(key < after if sorting.key_down else key > after)
        return statement.order_by(order).limit(limit)
    if after:
        found = (
            select(column) if sorting.source is None else select(column).select_from(sorting.source)
        )
        last = session.scalar(found.where(key == after))
        if down:  # the first condition is what an index is entered by
            statement = statement.where(column <= last, or_(column < last, key < after))
        else:
            statement = statement.where(column >= last, or_(column > last, key > after))
    order = (column.desc(), key.desc()) if down else (column, key)
    return statement.order_by(*order).limit(limit)
