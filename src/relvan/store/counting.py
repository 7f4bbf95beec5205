"""Counts rows for lists no further than a limit, because an exact count of everything costs more
than the page itself.
"""

import time
from collections.abc import Callable, Hashable, Sized
from dataclasses import dataclass
from typing import Any, TypeVar, cast

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

MOST_COUNTED = 10_000
FULL_S = 60.0  # how long it is remembered that there are more than are counted
REMEMBERED_S = 10.0
MANY = 20_000  # products or listings from which figures over all of them are remembered
Figure = TypeVar("Figure")
_full: dict[Hashable, float] = {}
_figures: dict[Hashable, tuple[float, Any]] = {}


@dataclass(frozen=True)
class Count:
    """A number of rows, or the information that there are more than `most`. `amounts` is what they come
    to in minor units by currency, where that is asked for and all of them were counted."""

    number: int
    most: int = MOST_COUNTED
    amounts: tuple[tuple[str, int], ...] = ()

    def __str__(self) -> str:
        return f"{self.number:,}" if self.number <= self.most else f"{self.most:,}+"

    def __bool__(self) -> bool:
        return self.number > 0


def count_with_page(rows: Sized, page: int, after: object, count: Callable[[], Count]) -> Count:
    """Returns how many rows a list has. `rows` are those that were read for a page of `page` rows,
    with one more where more follow. When the first page holds all rows, their number is the
    answer; otherwise `count` asks the database. A filter that finds little has read everything for
    its page already, and counting would read all of it once more.
    """
    if after or len(rows) > page:
        return count()
    return Count(len(rows))


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
        _full[key] = now + FULL_S
        for old in [other for other, until in _full.items() if until <= now]:
            del _full[old]
    return Count(found, most)


def remembered(
    session: Session, kind: type[Any], name: str, work_out: Callable[[], Figure]
) -> Figure:
    """Returns a figure over all rows of a table (`kind`), worked out anew or, where there are very
    many rows, at most ten seconds old: working it out takes longer than reading the list beside it.
    It is for what a page shows, never for what is decided or given out in a file.
    """
    key, now = (session.get_bind(), name), time.monotonic()
    kept = _figures.get(key)
    if kept is not None and kept[0] > now:
        return cast(Figure, kept[1])
    figure = work_out()
    if (session.scalar(select(func.max(kind.id))) or 0) > MANY:
        _figures[key] = (now + REMEMBERED_S, figure)
    return figure
