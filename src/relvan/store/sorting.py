"""Lists sorted by any of their columns, paged by key: the next page begins after the last row of
this one, whatever has come in between meanwhile."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Select, and_, or_, select
from sqlalchemy.orm import Session


@dataclass(frozen=True)
class Sorting:
    """The columns that a list can be sorted by, by name, each without empty values (`coalesce`);
    `key` is the column that tells rows apart and that pages go on from; `source` is the join that
    the columns are of, where they are not all of the key's own table."""

    columns: Mapping[str, Any]
    key: Any
    key_down: bool = False
    source: Any = None

    def names(self) -> frozenset[str]:
        """What `sort` may say, with a dash before it for the other direction."""
        return frozenset(self.columns)


def sort_page(
    session: Session,
    statement: Select[*tuple[Any, ...]],
    sorting: Sorting,
    sort: str,
    after: object,
    limit: int,
) -> Select[*tuple[Any, ...]]:
    """The rows of one page: by the column that `sort` names (from large to small with a dash before
    it), rows alike in it by the key; without one, by the key alone. `after` is the key of the last
    row before it, empty at the start."""
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
        beyond = column < last if down else column > last
        same = and_(column == last, key > after)
        statement = statement.where(or_(beyond, same))
    return statement.order_by(column.desc() if down else column, key).limit(limit)
