"""Gives out the ids of rows before they are written, so that orders, their lines and what is promised
to them can name one another and still be written by one statement each.
"""

from functools import cache
from typing import Any

from sqlalchemy import Select, Table, func, select, text
from sqlalchemy.orm import Session

SERIES = text("SELECT nextval(pg_get_serial_sequence(:name, 'id')) FROM generate_series(1, :count)")


def new_ids(session: Session, model: Any, count: int) -> list[int]:
    """Returns as many ids as there will be new rows of a table, in rising order. It is asked inside
    a write transaction, in which nobody else writes.
    """
    if not count:
        return []
    table: Table = model.__table__
    connection = session.connection()
    if connection.dialect.name != "sqlite":
        told = {"name": table.name, "count": count}
        return sorted(connection.scalars(SERIES, told))
    last: int = connection.scalar(_last_id(model)) or 0
    return list(range(last + 1, last + 1 + count))


@cache
def _last_id(model: Any) -> Select[int]:
    return select(func.max(model.__table__.c.id))
