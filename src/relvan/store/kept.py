"""Keeps in the process the settings that every transaction asks for and that hardly ever change.

They are read again once one of them has changed, in whatever process. The table `settings_mark` holds
a number for this, which a change of the settings replaces by another at random in the same
transaction: the settings that were read under a number are right as long as the database shows it.
"""

import secrets
from collections.abc import Callable, Iterable, Mapping
from functools import wraps
from typing import Any, TypeVar

from sqlalchemy import Connection, select, text
from sqlalchemy.engine.default import DefaultExecutionContext
from sqlalchemy.orm import Session

from relvan.store.session import connection_of
from relvan.store.tables import SettingsMark

T = TypeVar("T")
Kept = dict[Callable[..., Any], tuple[int | None, Any]]  # (mark, what was read under it) by reader

READERS: list[
    Callable[[Session], Any]
] = []  # every function that `kept` has turned, as it was written
KEPT = "kept"  # where a session has what its database keeps
MARK = "settings_mark"  # where a connection has the mark that its transaction sees
THE_MARK = select(SettingsMark.mark)
NEW_MARK = text(
    "INSERT INTO settings_mark (id, mark) VALUES (1, :mark)"
    " ON CONFLICT (id) DO UPDATE SET mark = excluded.mark"
)
# the tables that are read; of those that also say how something goes, the columns that are read
WATCHED: Mapping[str, frozenset[str] | None] = {
    "channel": frozenset({"name", "start_tray", "order_policy", "rulebook", "stock_policy"}),
    "mail_server": frozenset({"host"}),
    "nearer_policy": None,
    "order_rule": None,
    "supply_warehouse": None,
    "warehouse": None,
    "webhook": frozenset({"matters", "active"}),
}


def kept(read: Callable[[Session], T]) -> Callable[[Session], T]:
    """Turns a function that reads settings into one that reads them only when they have changed. It
    may read the watched tables and nothing else. What it returns is shared: it must not be changed.
    """
    READERS.append(read)

    @wraps(read)
    def kept_or_read(session: Session) -> T:
        shelf: Kept | None = session.info.get(KEPT)
        if shelf is None:
            return read(session)
        if session.autoflush:
            session.flush()
        mark = _mark(connection_of(session))
        known = shelf.get(read)
        if known is None or known[0] != mark:
            known = shelf[read] = (mark, read(session))
        found: T = known[1]
        return found

    return kept_or_read


def mark_change(connection: Connection, table: str) -> None:
    """Sets a new mark for a change of a table, if the table is watched. A statement that is given to the
    driver as text needs this call; for all others `mark_statement` does it."""
    if table in WATCHED:
        forget_mark(connection)
        connection.execute(NEW_MARK, {"mark": secrets.randbelow(2**53)})


def mark_statement(connection: Connection, run: DefaultExecutionContext) -> None:
    """Sets a new mark if a statement that is about to run changes watched settings."""
    statement: Any = run.compiled.statement if run.compiled is not None else None
    if statement is not None and (name := statement.table.name) in WATCHED:
        columns = WATCHED[name]
        rows = run.compiled_parameters or ()
        if columns is None or not run.isupdate or columns & _set_by(statement, rows):
            mark_change(connection, name)


def forget_mark(connection: Any) -> None:
    """Lets a connection read the mark again before kept settings are next taken through it."""
    connection.info.pop(MARK, None)


def _mark(connection: Connection) -> int | None:
    if MARK not in connection.info:
        connection.info[MARK] = connection.execute(THE_MARK).scalar()
    mark: int | None = connection.info[MARK]
    return mark


def _set_by(statement: Any, rows: Iterable[Mapping[str, Any]]) -> set[str]:
    """Returns the names of the columns that an update sets."""
    told = {getattr(column, "key", column) for column in statement._values or ()}
    return told.union(*rows)
