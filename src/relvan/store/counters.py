"""Counts the numbers that people read: of orders, shipments and pick lists."""

from functools import cache
from typing import Any

from sqlalchemy import Executable, bindparam, insert, update
from sqlalchemy.orm import Session

from relvan.store.built import bare_rows
from relvan.store.tables import Counter


def advance_counter(session: Session, name: str, count: int, *, first: int) -> tuple[int, str]:
    """Takes `count` numbers from a counter and returns the last of them with the pattern by which
    they are written, empty for the usual one. A counter that does not exist yet starts at `first`.
    """
    row = bare_rows(session, _advanced(), {"of": name, "more": count}).first()
    if row is not None:
        return row[0], row[1]
    last = first + count - 1
    session.execute(insert(Counter).values(name=name, value=last, pattern=""))
    return last, ""


@cache
def _advanced() -> Executable:
    table: Any = Counter.__table__
    moved = update(table).where(table.c.name == bindparam("of"))
    moved = moved.values(value=table.c.value + bindparam("more"))
    return moved.returning(table.c.value, table.c.pattern)
