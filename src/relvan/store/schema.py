"""Brings a database to the tables that this version needs."""

from enum import StrEnum
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import inspect, text
from sqlalchemy.engine import Connection
from sqlalchemy.orm import Session

from relvan.store import order_search, search
from relvan.store.database import Database
from relvan.store.dialects import write_next
from relvan.store.tables import Table

MIGRATIONS = Path(__file__).parent / "migrations"


def alembic_config(connection: Connection) -> Config:
    """Returns Alembic's configuration for a connection of ours."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["connection"] = connection
    return config


class SchemaAge(StrEnum):
    """How the tables of a database stand to those of this version."""

    EMPTY = "empty"
    OLDER = "older"
    PRESENT = "present"
    NEWER = "newer"


def schema_age(database: Database) -> SchemaAge:
    """Says whether a database is empty, up to date, from an older version, or from a newer one."""
    if database.is_sqlite and not database.path.exists():
        return SchemaAge.EMPTY
    with database.engine.connect() as connection:
        at = MigrationContext.configure(connection).get_current_revision()
        scripts = ScriptDirectory.from_config(alembic_config(connection))
    if at is None:
        return SchemaAge.EMPTY
    if at == scripts.get_current_head():
        return SchemaAge.PRESENT
    known = {script.revision for script in scripts.walk_revisions()}
    return SchemaAge.OLDER if at in known else SchemaAge.NEWER


def bring_up_to_date(database: Database) -> None:
    """Run the migrations that are missing; none on a database that is up to date.

    SQLite makes some tables anew to change them, which foreign keys would forbid: they are off
    meanwhile, and all of them are checked before anything is saved.
    """
    if not database.is_sqlite:
        _bring_server_up_to_date(database)
        return
    with database.engine.connect() as connection:
        driver(connection).execute("PRAGMA foreign_keys=OFF")
        write_next(connection)
        try:
            with connection.begin():
                command.upgrade(alembic_config(connection), "head")
                if broken := driver(connection).execute("PRAGMA foreign_key_check").fetchone():
                    raise RuntimeError(f"The migration would break a foreign key: {broken}")
        finally:
            driver(connection).execute("PRAGMA foreign_keys=ON")


def _bring_server_up_to_date(database: Database) -> None:
    """A server starts from the tables as they are in this version; later ones bring migrations. One
    process at a time: the others wait."""
    with database.writing() as session:
        connection = session.connection()
        config = alembic_config(connection)
        if inspect(connection).has_table("alembic_version"):
            command.upgrade(config, "head")
            return
        connection.execute(text("CREATE EXTENSION IF NOT EXISTS citext"))
        connection.execute(text("CREATE EXTENSION IF NOT EXISTS unaccent"))
        Table.metadata.create_all(connection)
        for statement in (*search.CREATE_ON_SERVER, *order_search.CREATE_ON_SERVER):
            connection.execute(text(statement))
        command.stamp(config, "head")


def database_bytes(session: Session) -> int:
    """Returns the size of a database on a server, in bytes."""
    return session.scalar(text("SELECT pg_database_size(current_database())")) or 0


def driver(connection: Connection) -> Any:
    """Returns the driver's own connection, for statements outside a transaction of ours."""
    return connection.connection.driver_connection
