"""Tests the database: a write takes its turn at the start, and what is put off runs after the
commit."""

import threading
import time

import pytest

from relvan.core.refusal import DatabaseAway
from relvan.store.database import Database, after_commit
from relvan.store.schema import bring_up_to_date
from relvan.store.tables import Counter
from tests.server import free_port


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


def test_a_server_that_nobody_answers_at_is_told_in_a_word():
    database = Database(f"postgresql+psycopg://relvan@127.0.0.1:{free_port()}/relvan")
    for deed in (database.check_is_reachable, lambda: bring_up_to_date(database)):
        with pytest.raises(DatabaseAway):
            deed()
