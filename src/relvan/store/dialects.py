"""How SQLAlchemy talks to the two kinds of database.

What is done at every transaction and every statement is part of the dialect, and no listener of
events: an engine to which anybody listens takes a quarter longer for a small statement.
"""

from typing import Any

from sqlalchemy import URL, Connection
from sqlalchemy.dialects import registry
from sqlalchemy.dialects.postgresql.psycopg import PGDialect_psycopg, PGExecutionContext_psycopg
from sqlalchemy.dialects.sqlite.base import SQLiteCompiler, SQLiteExecutionContext
from sqlalchemy.dialects.sqlite.pysqlite import SQLiteDialect_pysqlite
from sqlalchemy.engine.default import DefaultExecutionContext
from sqlalchemy.sql.expression import FromClause

from relvan.store.kept import forget_mark, mark_statement

WRITING = "writing"  # where a connection is told that its next transaction writes, and how
NAME = "relvan"  # of our dialects, behind the kind of database


def ours(url: URL) -> URL:
    """Returns the address of a database under which it is opened by our dialect."""
    return url.set(drivername=f"{url.get_backend_name()}+{NAME}")


def write_next(connection: Connection, *, hurried: bool = False) -> None:
    """Lets the next transaction of a connection to SQLite begin as one that writes. A `hurried` one does not
    wait until the data lies on the disk."""
    connection.info[WRITING] = "NORMAL" if hurried else "FULL"


class _Watching(DefaultExecutionContext):
    def pre_exec(self) -> None:
        """Marks a change of the settings that processes keep."""
        super().pre_exec()  # type: ignore[no-untyped-call]
        if self.isinsert or self.isupdate or self.isdelete:
            mark_statement(self.root_connection, self)


class _WatchingOnServer(_Watching, PGExecutionContext_psycopg):
    """Runs a statement on a server."""


class _WatchingInBox(_Watching, SQLiteExecutionContext):
    """Runs a statement in SQLite."""


class _HintingCompiler(SQLiteCompiler):
    """Writes the index that a query is to use behind its table (`with_hint`)."""

    def get_from_hint_text(self, _table: FromClause, text: str | None) -> str | None:
        return text


class ServerDialect(PGDialect_psycopg):
    """PostgreSQL, as we open it."""

    supports_statement_cache = True
    execution_ctx_cls = _WatchingOnServer

    def do_begin(self, dbapi_connection: Any) -> None:
        forget_mark(dbapi_connection)
        super().do_begin(dbapi_connection)  # type: ignore[no-untyped-call]

    def do_rollback_to_savepoint(self, connection: Connection, name: str) -> None:
        super().do_rollback_to_savepoint(connection, name)  # type: ignore[no-untyped-call]
        forget_mark(connection)


class BoxDialect(SQLiteDialect_pysqlite):
    """SQLite, as we open it. A transaction that writes begins IMMEDIATE."""

    supports_statement_cache = True
    execution_ctx_cls = _WatchingInBox
    statement_compiler = _HintingCompiler

    def do_begin(self, dbapi_connection: Any) -> None:
        forget_mark(dbapi_connection)
        info, driver = dbapi_connection.info, dbapi_connection.dbapi_connection
        writing = info.pop(WRITING, None)
        if writing is None:
            driver.execute("BEGIN")
            return
        if info.get("synchronous", "FULL") != writing:  # cannot be changed within a transaction
            driver.execute(f"PRAGMA synchronous={writing}")
            info["synchronous"] = writing
        driver.execute("BEGIN IMMEDIATE")

    def do_rollback_to_savepoint(self, connection: Connection, name: str) -> None:
        super().do_rollback_to_savepoint(connection, name)  # type: ignore[no-untyped-call]
        forget_mark(connection)


registry.register(f"sqlite.{NAME}", __name__, BoxDialect.__name__)
registry.register(f"postgresql.{NAME}", __name__, ServerDialect.__name__)
