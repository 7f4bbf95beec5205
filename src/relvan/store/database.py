"""Opens the database and its transactions.

SQLite runs in WAL mode with foreign keys on. A writing transaction begins IMMEDIATE, so that it
waits for its turn at the start and never fails in the middle. Another database is named by its URL.
"""

import logging
import sqlite3
import threading
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager, nullcontext
from pathlib import Path
from typing import Any

import psycopg
from psycopg.adapt import Loader
from sqlalchemy import Engine, ExceptionContext, create_engine, event, make_url, text
from sqlalchemy.orm import Session

from relvan.core.refusal import DatabaseAway
from relvan.store.dialects import ours, write_next
from relvan.store.kept import KEPT, Kept
from relvan.store.session import connection_of

log = logging.getLogger("relvan.database")
WRITERS = 7_231  # the number of the lock by which writers take turns
BUSY_TIMEOUT_MS = 15_000
READ_POOL = 12


class Turns:
    """Lets the writers of one process take turns in the order in which they came. SQLite itself
    lets a waiting writer sleep and try again, so a writer among busy ones may wait for seconds.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._waiting: deque[threading.Event] = deque()
        self._taken = False

    def __enter__(self) -> None:
        with self._lock:
            if not self._taken:
                self._taken = True
                return
            mine = threading.Event()
            self._waiting.append(mine)
        mine.wait()

    def __exit__(self, *_: object) -> None:
        with self._lock:
            if self._waiting:
                self._waiting.popleft().set()
            else:
                self._taken = False


class Database:
    """The database. `reading()` and `writing()` each give a session in one transaction."""

    def __init__(
        self, url: str, *, before_commit: Callable[[Session], object] = lambda _session: None
    ) -> None:
        self.url = url
        self._before_commit = before_commit
        if self.is_sqlite:
            Path(url.removeprefix("sqlite:///")).parent.mkdir(parents=True, exist_ok=True)
        self.engine = _make_engine(url, sqlite=self.is_sqlite)
        self._kept: Kept = {}
        self._turns: AbstractContextManager[object] = Turns() if self.is_sqlite else nullcontext()

    @property
    def is_sqlite(self) -> bool:
        """Whether this is SQLite."""
        return self.url.startswith("sqlite")

    @property
    def path(self) -> Path:
        """The file of the SQLite database."""
        return Path(self.url.removeprefix("sqlite:///"))

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """Gives a session that sees one moment and writes nothing."""
        reader = (
            self.engine
            if self.is_sqlite
            else self.engine.execution_options(isolation_level="REPEATABLE READ")
        )
        with Session(reader, autoflush=False, info={KEPT: self._kept}) as session:
            yield session
            session.expunge_all()  # what was read stays readable

    @contextmanager
    def writing(self, *, hurried: bool = False) -> Iterator[Session]:
        """Gives a session in one short write transaction, which is rolled back when the block
        raises. What was registered with `before_commit` runs at its end, inside it.

        What was registered with `after_commit` runs once everything is saved. A `hurried`
        transaction does not wait until the data lies on the disk: after a power failure it may be
        missing as a whole. It is meant for work that is taken up again where it stood.
        """
        with self._turns, self.engine.connect() as connection:
            if self.is_sqlite:
                write_next(connection, hurried=hurried)
            with (
                Session(connection, expire_on_commit=False, info={KEPT: self._kept}) as session,
                session.begin(),
            ):
                connection_of(session)  # it begins now
                if not self.is_sqlite:
                    _take_turn(session, hurried=hurried)
                yield session
                self._before_commit(session)
            later: list[Callable[[], None]] = session.info.get("later", [])
        for deed in later:
            deed()

    def check_is_reachable(self) -> None:
        """Runs a small query; raises when the database does not answer."""
        with self.reading() as session:
            session.execute(text("SELECT 1"))

    def close(self) -> None:
        """Closes all connections."""
        self.engine.dispose()


def _take_turn(session: Session, *, hurried: bool) -> None:
    """Waits on a database server until no other process writes, as SQLite does it. What was decided
    from what was read is then still true when it is written.
    """
    session.execute(text(f"SELECT pg_advisory_xact_lock({WRITERS})"))
    if hurried:
        session.execute(text("SET LOCAL synchronous_commit TO OFF"))


def after_commit(session: Session, deed: Callable[[], None]) -> None:
    """Registers something small to run once this transaction is saved, such as waking a worker."""
    session.info.setdefault("later", []).append(deed)


def driver_address(url: str) -> str:
    """Returns the address of a PostgreSQL database as its driver takes it, without SQLAlchemy's own
    part.
    """
    return make_url(url).set(drivername="postgresql").render_as_string(hide_password=False)


def _make_engine(url: str, *, sqlite: bool) -> Engine:
    where = ours(make_url(url))
    if not sqlite:
        server = create_engine(where, pool_pre_ping=True, connect_args={"options": "-c jit=off"})
        event.listen(server, "connect", _count_as_in_the_box)
        event.listen(server, "handle_error", _tell_as_in_the_box)
        return server
    engine = create_engine(
        where,
        pool_size=READ_POOL,
        max_overflow=READ_POOL,
        connect_args={"timeout": BUSY_TIMEOUT_MS / 1000},
    )
    event.listen(engine, "connect", _set_up_sqlite)
    return engine


class _Counted(Loader):
    """Makes a server's sums of whole numbers whole numbers, and its means floats."""

    def load(self, data: Any) -> int | float:
        text = bytes(data)
        return float(text) if b"." in text or b"N" in text else int(text)


def _count_as_in_the_box(connection: psycopg.Connection[Any], _record: Any) -> None:
    connection.adapters.register_loader("numeric", _Counted)


def _tell_as_in_the_box(context: ExceptionContext) -> None:
    """Turns errors of a server's driver into those of SQLite's driver when a column cannot hold a
    value, and into a message of ours when the server does not answer.
    """
    error = context.original_exception
    if isinstance(error, psycopg.DataError):
        raise OverflowError(str(error)) from error
    if isinstance(error, psycopg.OperationalError) and (
        context.is_disconnect or context.connection is None
    ):
        log.error("The database cannot be reached: %s", error)
        raise DatabaseAway from error


def _set_up_sqlite(connection: sqlite3.Connection, _record: Any) -> None:
    connection.isolation_level = None  # we begin transactions ourselves
    for pragma in (
        "journal_mode=WAL",
        "synchronous=FULL",
        "foreign_keys=ON",
        f"busy_timeout={BUSY_TIMEOUT_MS}",
        "cache_size=-32000",
        "temp_store=MEMORY",
    ):
        connection.execute(f"PRAGMA {pragma}")
