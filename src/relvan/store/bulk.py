"""Writes many rows with one statement and bare parameters, because the object layer costs more than
writing the row does.

Values still pass through the types of their columns, so what is written is what the tables say.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import lru_cache
from typing import Any

from sqlalchemy import Column, Dialect, Table, bindparam, delete, insert, update
from sqlalchemy import column as bare_column
from sqlalchemy import table as bare_table
from sqlalchemy.orm.util import identity_key

from relvan.store.kept import mark_change
from relvan.store.session import Session, connection_of

Row = Sequence[Any]


def insert_rows(session: Session, model: Any, names: Sequence[str], rows: Sequence[Row]) -> None:
    """Adds rows to a table. Each row has a value for every one of these columns, in their order;
    columns that are not named get their defaults.
    """
    if rows:
        insert_columns(session, model, dict(zip(names, zip(*rows, strict=True), strict=True)))


def insert_columns(session: Session, model: Any, columns: Mapping[str, Sequence[Any]]) -> None:
    """Adds rows to a table. They are given as lists of values by column; the other columns get
    their defaults.
    """
    table: Table = model.__table__
    count = len(next(iter(columns.values())))
    left = _left_to_defaults(table, tuple(columns))
    whole = {**columns, **{column.name: [_default(column)] * count for column in left}}
    _run(session, table, "insert", tuple(whole), list(whole.values()))


def update_rows(session: Session, model: Any, names: Sequence[str], rows: Sequence[Row]) -> None:
    """Changes these columns of rows. Each row is given as (*values, id of the row)."""
    _run(session, model.__table__, "update", tuple(names), list(zip(*rows, strict=True)))


def update_columns(
    session: Session, model: Any, columns: Mapping[str, Sequence[Any]], ids: Sequence[int]
) -> None:
    """Changes rows by their ids. The new values are given as lists by column."""
    _run(session, model.__table__, "update", tuple(columns), [*columns.values(), ids])


def delete_rows(session: Session, model: Any, names: Sequence[str], rows: Sequence[Row]) -> None:
    """Deletes rows, each of which is found by its values in these columns."""
    _run(session, model.__table__, "delete", tuple(names), list(zip(*rows, strict=True)))


def read_anew(session: Session, model: Any, keys: Iterable[Any]) -> None:
    """Lets rows that were changed by a bare statement be read again where the session holds them."""
    for key in keys:
        known = session.identity_map.get(identity_key(model, key))
        if known is not None:
            session.expire(known)


def _run(
    session: Session, table: Table, verb: str, names: tuple[str, ...], values: list[Sequence[Any]]
) -> None:
    """Runs a statement for many rows that are given by column. For a change the ids come last."""
    if not values or not values[0]:
        return
    connection = connection_of(session)
    sql, order, positional = _statement(connection.dialect, table, verb, names)
    for place, process in _processors(connection.dialect, table, verb, names):
        values[place] = _processed(process, values[place])
    if positional:
        parameters: Any = list(zip(*(values[place] for place in order), strict=True))
    else:
        keys = [_parameter(name) for name in (*names, *(["id"] if verb == "update" else []))]
        parameters = [dict(zip(keys, row, strict=True)) for row in zip(*values, strict=True)]
    connection.exec_driver_sql(sql, parameters)
    mark_change(connection, table.name)


def _processed(process: Callable[[Any], Any], values: Sequence[Any]) -> Sequence[Any]:
    first = values[0]
    if all(value is first for value in values):  # the moment of a change, most of all
        return [process(first)] * len(values)
    return [process(value) for value in values]


@lru_cache(maxsize=256)
def _left_to_defaults(table: Table, names: tuple[str, ...]) -> list[Column[Any]]:
    """Returns the columns that are not named and have a default which the database does not know."""
    return [
        column
        for column in table.c
        if column.name not in names and column.default is not None and column.server_default is None
    ]


@lru_cache(maxsize=256)
def _processors(
    dialect: Dialect, table: Table, verb: str, names: tuple[str, ...]
) -> list[tuple[int, Callable[[Any], Any]]]:
    """Returns by their places the functions that turn values into what the database takes."""
    columns = [table.c[name] for name in names] + ([table.c.id] if verb == "update" else [])
    found = (column.type.dialect_impl(dialect).bind_processor(dialect) for column in columns)
    return [(place, process) for place, process in enumerate(found) if process is not None]


def _default(column: Column[Any]) -> Any:
    default: Any = column.default
    return default.arg(None) if default.is_callable else default.arg


def _parameter(name: str) -> str:
    return f"b_{name}"


@lru_cache(maxsize=256)
def _statement(
    dialect: Dialect, table: Table, verb: str, names: tuple[str, ...]
) -> tuple[str, list[int], bool]:
    """Returns the statement as text, which value goes to which place in it, and whether places are
    counted or named.
    """
    bound = {name: bindparam(_parameter(name), type_=table.c[name].type) for name in names}
    # not into the table itself: that would add the defaults that the database knows
    statement: Any = insert(bare_table(table.name, *map(bare_column, names))).values(bound)
    wanted = list(names)
    if verb == "delete":
        statement = delete(table).where(*(table.c[name] == value for name, value in bound.items()))
    elif verb == "update":
        statement = update(table).where(table.c.id == bindparam(_parameter("id"))).values(bound)
        wanted.append("id")
    compiled = statement.compile(dialect=dialect)
    places = [_parameter(name) for name in wanted]
    return (
        str(compiled),
        [places.index(name) for name in compiled.positiontup or ()],
        bool(compiled.positional),
    )
