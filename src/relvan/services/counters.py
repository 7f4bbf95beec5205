"""Numbers that people read aloud: orders O-1001, shipments S-1001, pick lists L-1001."""

from relvan.store.counters import advance_counter
from relvan.store.session import Session

FIRST = 1001


def next_number(session: Session, prefix: str) -> str:
    """Returns the next number of a kind, inside a write transaction."""
    return next_numbers(session, prefix, 1)[0]


def next_numbers(session: Session, prefix: str, count: int) -> list[str]:
    """Returns several numbers of a kind, one after the other, inside a write transaction."""
    last = advance_counter(session, prefix, count, first=FIRST)
    return [f"{prefix}-{number}" for number in range(last - count + 1, last + 1)]
