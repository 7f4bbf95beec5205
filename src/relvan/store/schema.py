"""Brings a database to the shape that this version needs."""

from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy.engine import Connection

from relvan.store.database import Database

MIGRATIONS = Path(__file__).parent / "migrations"


def alembic_config(connection: Connection) -> Config:
    """Alembic's configuration, on a connection of ours."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["connection"] = connection
    return config


def bring_up_to_date(database: Database) -> None:
    """Run the migrations that are missing; none on a database that is up to date.

    SQLite makes some tables anew to change them, which foreign keys would forbid: they are off meanwhile, and all
    of them are checked before anything is saved.
    """
    with database.engine.execution_options(begin="IMMEDIATE").connect() as connection:
        if database.is_sqlite:
            driver(connection).execute("PRAGMA foreign_keys=OFF")
        try:
            with connection.begin():
                command.upgrade(alembic_config(connection), "head")
                if database.is_sqlite and (broken := driver(connection).execute("PRAGMA foreign_key_check").fetchone()):
                    raise RuntimeError(f"The migration would break a foreign key: {broken}")
        finally:
            if database.is_sqlite:
                driver(connection).execute("PRAGMA foreign_keys=ON")


def driver(connection: Connection) -> Any:
    """The driver's own connection, to speak to it outside a transaction of ours."""
    return connection.connection.driver_connection
