"""Counting the numbers that people read aloud."""

from sqlalchemy import insert, update
from sqlalchemy.orm import Session

from relvan.store.tables import Counter


def advance_counter(session: Session, name: str, count: int, *, first: int) -> int:
    """Take `count` numbers of a counter and return the last of them; a counter that is new begins
    at `first`."""
    statement = update(Counter).where(Counter.name == name).values(value=Counter.value + count)
    last = session.scalar(statement.returning(Counter.value))
    if last is None:
        last = first + count - 1
        session.execute(insert(Counter).values(name=name, value=last))
    return last
