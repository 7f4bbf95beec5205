"""The database: its tables are what the migrations make, and a write takes its turn at the
start."""

import threading
import time

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text

from relvan.core.refusal import DatabaseAway
from relvan.store.database import Database, after_commit
from relvan.store.schema import bring_up_to_date
from relvan.store.search import first_matches, match_text
from relvan.store.tables import Counter, Table
from tests.server import free_port


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


def test_two_writers_take_turns_and_lose_nothing(tmp_path):
    database = Database(f"sqlite:///{tmp_path / 'x.db'}")
    bring_up_to_date(database)
    with database.writing() as session:
        session.add(Counter(name="n", value=0))

    def count():
        for _ in range(20):
            with database.writing() as session:
                counter = session.get_one(Counter, "n")
                value = counter.value
                time.sleep(0.001)
                counter.value = value + 1

    threads = [threading.Thread(target=count) for _ in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    with database.reading() as session:
        assert session.get_one(Counter, "n").value == 60
    database.close()


def test_what_was_put_off_runs_after_the_commit_and_not_after_a_failure(workplace):
    seen = []
    with workplace.database.writing() as session:
        after_commit(session, lambda: seen.append("saved"))
        assert seen == []
    assert seen == ["saved"]
    try:
        with workplace.database.writing() as session:
            after_commit(session, lambda: seen.append("never"))
            raise RuntimeError
    except RuntimeError:
        pass
    assert seen == ["saved"]


@given(st.text(max_size=40))
def test_no_text_that_a_person_types_breaks_the_search(typed):
    query = match_text(typed) or ""
    assert query.count('"') % 2 == 0


@pytest.mark.parametrize(
    "words", ["a\U0001e900b", "x²y", "पॉट", "a'b\"c", "\ufb01n", "ẞ_1", "(", "NEAR(a b)", "a*"]
)
def test_any_sign_may_be_looked_for(workplace, words):
    with workplace.database.reading() as session:
        assert first_matches(session, words, 5) == []


def test_a_server_that_nobody_answers_at_is_told_in_a_word():
    database = Database(f"postgresql+psycopg://relvan@127.0.0.1:{free_port()}/relvan")
    for deed in (database.check_is_reachable, lambda: bring_up_to_date(database)):
        with pytest.raises(DatabaseAway):
            deed()
