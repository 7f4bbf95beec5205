"""The tables are what the migrations make."""

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text
from sqlalchemy.schema import CreateIndex

from relvan.store.schema import bring_up_to_date
from relvan.store.tables import Table


@pytest.mark.filterwarnings("ignore:Skipped unsupported reflection of expression-based index")
@pytest.mark.filterwarnings(
    "ignore:autogenerate skipping metadata-specified expression-based index"
)
def test_migrations_and_tables_agree(workplace):
    with workplace.database.engine.connect() as connection:
        found = compare_metadata(MigrationContext.configure(connection), Table.metadata)
    # a server has its own words for an expression of several columns; the next test compares it
    compared = ("product_search", "order_search", "ix_customer_order_standing")
    assert [one for one in found if not any(name in str(one) for name in compared)] == []


def test_migrations_and_tables_agree_on_indexes_over_expressions(workplace, in_the_box):
    """What the comparison above leaves out in SQLite."""
    wanted = {
        index.name: str(CreateIndex(index).compile(workplace.database.engine)).strip()
        for table in Table.metadata.tables.values()
        for index in table.indexes
        if len(index.columns) < len(index.expressions)
    }
    with workplace.database.reading() as session:
        made = dict(session.execute(text("SELECT name, sql FROM sqlite_master")).all())
    assert len(wanted) >= 3
    assert {name: made[name] for name in wanted} == wanted


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
                " AND name NOT LIKE 'sqlite%' AND name NOT LIKE 'product_search%'"
                " AND name NOT LIKE 'order_search%' AND name <> 'alembic_version'"
            )
        ).all()
        assert loose == []
        assert session.execute(text("PRAGMA foreign_keys")).scalar() == 1
        assert session.execute(text("PRAGMA journal_mode")).scalar() == "wal"
