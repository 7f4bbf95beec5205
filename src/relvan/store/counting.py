"""Counts rows for lists no further than a limit, because an exact count of everything costs more
than the page itself.
"""

import time
from collections.abc import Hashable
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

MOST_COUNTED = 10_000
REMEMBERED_S = 60.0
_full: dict[Hashable, float] = {}


@dataclass(frozen=True)
class Count:
    """A number of rows, or the information that there are more than `most`."""

    number: int
    most: int = MOST_COUNTED

    def __str__(self) -> str:
        return f"{self.number:,}" if self.number <= self.most else f"{self.most:,}+"

    def __bool__(self) -> bool:
        return self.number > 0


def count_up_to(
    session: Session, statement: Select[*tuple[Any, ...]], name: Hashable, most: int = MOST_COUNTED
) -> Count:
    """Counts the rows of a query, no further than one above `most`.

    `name` tells one query from another. When there are more than `most`, this is remembered for a
    minute: counting so far is the slowest part of a list, and what the page then shows ("10,000+")
    rarely stops being true.
    """
    key = (session.get_bind(), name, most)
    now = time.monotonic()
    if _full.get(key, 0.0) > now:
        return Count(most + 1, most)
    found = (
        session.scalar(select(func.count()).select_from(statement.limit(most + 1).subquery())) or 0
    )
    if found > most:
        _full[key] = now + REMEMBERED_S
        for old in [other for other, until in _full.items() if until <= now]:
            del _full[old]
    return Count(found, most)
