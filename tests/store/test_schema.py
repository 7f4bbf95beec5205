"""The tables are what the migrations make."""

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text

from relvan.store.schema import bring_up_to_date
from relvan.store.tables import Table


def test_migrations_and_tables_agree(workplace):
    with workplace.database.engine.connect() as connection:
        found = compare_metadata(MigrationContext.configure(connection), Table.metadata)
    assert [change for change in found if "product_search" not in str(change)] == []


def test_bringing_an_up_to_date_database_up_to_date_changes_nothing(workplace, in_the_box):
    with workplace.database.reading() as session:
        before = session.execute(text("SELECT sql FROM sqlite_master ORDER BY name")).all()
    bring_up_to_date(workplace.database)
    with workplace.database.reading() as session:
        assert session.execute(text("SELECT sql FROM sqlite_master ORDER BY name")).all() == before


def test_every_table_is_strict_and_foreign_keys_count(workplace, in_the_box):
    with workplace.database.reading() as session:
        loose = session.execute(
            text(
                "SELECT name FROM pragma_table_list WHERE type = 'table' AND schema = 'main' AND strict = 0"
                " AND name NOT LIKE 'sqlite%' AND name NOT LIKE 'product_search%' AND name <> 'alembic_version'"
            )
        ).all()
        assert loose == []
        assert session.execute(text("PRAGMA foreign_keys")).scalar() == 1
        assert session.execute(text("PRAGMA journal_mode")).scalar() == "wal"
