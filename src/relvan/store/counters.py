"""Counts the numbers that people read: of orders, shipments and pick lists."""

from sqlalchemy import insert, update
from sqlalchemy.orm import Session

from relvan.store.tables import Counter


def advance_counter(session: Session, name: str, count: int, *, first: int) -> tuple[int, str]:
    """Takes `count` numbers from a counter and returns the last of them with the pattern by which
    they are written, empty for the usual one. A counter that does not exist yet starts at `first`.
    """
    statement = update(Counter).where(Counter.name == name).values(value=Counter.value + count)
    row = session.execute(statement.returning(Counter.value, Counter.pattern)).first()
    if row is not None:
        return row[0], row[1]
    last = first + count - 1
    session.execute(insert(Counter).values(name=name, value=last, pattern=""))
    return last, ""
