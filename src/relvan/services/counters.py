"""Numbers that people read aloud: orders O-1001, shipments S-1001, pick lists L-1001, or as the
firm writes them.
"""

from datetime import datetime

from relvan.core.setup.numbering import Series, usual_pattern, write_number
from relvan.store.counters import advance_counter
from relvan.store.session import Session

FIRST = 1001


def next_number(session: Session, series: Series, now: datetime) -> str:
    """Returns the next number of a series, inside a write transaction."""
    return next_numbers(session, series, 1, now)[0]


def next_numbers(session: Session, series: Series, count: int, now: datetime) -> list[str]:
    """Returns several numbers of a series, one after the other, inside a write transaction."""
    last, pattern = advance_counter(session, series, count, first=FIRST)
    pattern = pattern or usual_pattern(series)
    return [write_number(pattern, number, now.year) for number in range(last - count + 1, last + 1)]


def next_serial(session: Session, series: Series, now: datetime) -> tuple[int, str]:
    """Returns the next place in a series and the number that is written for it, inside a write
    transaction."""
    last, pattern = advance_counter(session, series, 1, first=FIRST)
    return last, write_number(pattern or usual_pattern(series), last, now.year)
