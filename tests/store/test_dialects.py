"""How transactions begin in the box: one that writes holds the right to write from its start."""

import sqlite3

import pytest
from sqlalchemy import text

from relvan.store.database import Database

FULL, NORMAL = 2, 1  # as SQLite numbers them


@pytest.fixture
def box(tmp_path):
    database = Database(f"sqlite:///{tmp_path}/box.db")
    with database.writing() as session:
        session.execute(text("CREATE TABLE pot (glaze TEXT)"))
    yield database
    database.close()


def can_be_written(database):
    """Says whether somebody else could write at this moment."""
    other = sqlite3.connect(database.path, timeout=0, isolation_level=None)
    try:
        other.execute("BEGIN IMMEDIATE")
    except sqlite3.OperationalError:
        return False
    finally:
        other.close()
    return True


def waits_for_the_disk(session):
    return session.execute(text("PRAGMA synchronous")).scalar() == FULL


def test_a_transaction_that_writes_holds_the_right_from_its_start(box):
    with box.writing() as session:
        assert not can_be_written(box)
        session.execute(text("SELECT 1"))
        assert not can_be_written(box)
    assert can_be_written(box)


def test_one_that_reads_never_does(box):
    with box.writing():
        pass
    with box.reading() as session:
        assert session.execute(text("SELECT count(*) FROM pot")).scalar() == 0
        assert can_be_written(box)


def test_one_that_reads_sees_one_moment(box):
    with box.reading() as before:
        assert before.execute(text("SELECT count(*) FROM pot")).scalar() == 0
        with box.writing() as session:
            session.execute(text("INSERT INTO pot VALUES ('celadon')"))
        assert before.execute(text("SELECT count(*) FROM pot")).scalar() == 0
    with box.reading() as after:
        assert after.execute(text("SELECT count(*) FROM pot")).scalar() == 1


def test_only_a_hurried_one_does_not_wait_for_the_disk(box):
    with box.writing() as session:
        assert waits_for_the_disk(session)
    with box.writing(hurried=True) as session:
        assert session.execute(text("PRAGMA synchronous")).scalar() == NORMAL
    with box.writing() as session:
        assert waits_for_the_disk(session)


def test_one_that_fails_gives_the_right_back(box):
    def fail():
        with box.writing() as session:
            session.execute(text("INSERT INTO pot VALUES ('ochre')"))
            raise RuntimeError("on purpose")

    with pytest.raises(RuntimeError, match="on purpose"):
        fail()
    assert can_be_written(box)
    with box.reading() as session:
        assert session.execute(text("SELECT count(*) FROM pot")).scalar() == 0
