"""Counts the numbers that people read: of orders, shipments and pick lists."""

from sqlalchemy import insert, update
from sqlalchemy.orm import Session

from relvan.store.tables import Counter


def advance_counter(session: Session, name: str, count: int, *, first: int) -> int:
    """Takes `count` numbers from a counter and returns the last of them. A counter that does not
    exist yet starts at `first`.
    """
    statement = update(Counter).where(Counter.name == name).values(value=Counter.value + count)
    last = session.scalar(statement.returning(Counter.value))
    if last is None:
        last = first + count - 1
        session.execute(insert(Counter).values(name=name, value=last))
    return last
