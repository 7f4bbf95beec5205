"""Gives out the ids of rows before they are written, so that orders, their lines and what is promised
to them can name one another and still be written by one statement each.
"""

from collections.abc import Mapping, Sequence
from functools import cache
from typing import Any

from sqlalchemy import Select, func, select, text

from relvan.store.session import Session, connection_of
from relvan.store.tables import Table

SERIES = text("SELECT nextval(pg_get_serial_sequence(:name, 'id')) FROM generate_series(1, :count)")


def new_ids(session: Session, counts: Mapping[Any, int]) -> list[list[int]]:
    """Returns for each of these tables, which are named by their models, as many ids as there will be
    new rows, in rising order. It is asked inside a write transaction, in which nobody else writes.
    """
    connection = connection_of(session)
    if connection.dialect.name != "sqlite":
        told = [{"name": model.__tablename__, "count": count} for model, count in counts.items()]
        return [sorted(connection.scalars(SERIES, one)) for one in told]
    last = connection.execute(_last_ids(tuple(counts))).one()
    return [
        list(range((highest or 0) + 1, (highest or 0) + 1 + count))
        for highest, count in zip(last, counts.values(), strict=True)
    ]


@cache
def _last_ids(models: tuple[Any, ...]) -> Select[*tuple[Any, ...]]:
    return select(*(select(func.max(model.id)).scalar_subquery() for model in models))


def add_together(session: Session, rows: Sequence[Table]) -> None:
    """Adds new rows to a session, gives each its id and writes them, those of one table by one statement.
    Rows that name others by their ids are added by a later call.
    """
    if len(rows) > 1:
        _give_ids(session, rows)
    session.add_all(rows)
    session.flush()


def _give_ids(session: Session, rows: Sequence[Table]) -> None:
    by_table: dict[Any, list[Any]] = {}
    for row in rows:
        by_table.setdefault(type(row), []).append(row)
    found = new_ids(session, {model: len(of_table) for model, of_table in by_table.items()})
    for of_table, ids in zip(by_table.values(), found, strict=True):
        for row, row_id in zip(of_table, ids, strict=True):
            row.id = row_id
