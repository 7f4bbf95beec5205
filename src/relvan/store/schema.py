"""Brings a database to the shape that this version needs."""

from pathlib import Path

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
    """Run the migrations that are missing; none on a database that is up to date."""
    with database.engine.execution_options(begin="IMMEDIATE").begin() as connection:
        command.upgrade(alembic_config(connection), "head")
