"""Numbers that people read aloud: orders O-1001, shipments S-1001, pick lists L-1001."""

from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from relvan.store.tables import Counter

FIRST = 1001


def next_number(session: Session, prefix: str) -> str:
    """The next number of a kind; inside a write transaction."""
    statement = (
        insert(Counter)
        .values(name=prefix, value=FIRST)
        .on_conflict_do_update(index_elements=[Counter.name], set_={"value": Counter.value + 1})
        .returning(Counter.value)
    )
    return f"{prefix}-{session.scalar(statement)}"
