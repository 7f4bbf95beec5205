"""Numbers that people read aloud: orders O-1001, shipments S-1001, pick lists L-1001."""

from sqlalchemy import insert, update
from sqlalchemy.orm import Session

from relvan.store.tables import Counter

FIRST = 1001


def next_number(session: Session, prefix: str) -> str:
    """The next number of a kind; inside a write transaction."""
    return next_numbers(session, prefix, 1)[0]


def next_numbers(session: Session, prefix: str, count: int) -> list[str]:
    """As many numbers of a kind, one after the other; inside a write transaction."""
    last = session.scalar(
        update(Counter).where(Counter.name == prefix).values(value=Counter.value + count).returning(Counter.value)
    )
    if last is None:
        last = FIRST + count - 1
        session.execute(insert(Counter).values(name=prefix, value=last))
    return [f"{prefix}-{number}" for number in range(last - count + 1, last + 1)]
