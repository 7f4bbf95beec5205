"""Statements that are built once and run with other values."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import select

from relvan.store.among import among
from relvan.store.built import LONG, built_once
from relvan.store.database import Database
from relvan.store.schema import bring_up_to_date
from relvan.store.tables import Warehouse

BUILT = []


@built_once
def warehouses_with(ids, keys, most):
    BUILT.append(ids)
    wanted = (among(Warehouse.id, ids), among(Warehouse.key, keys))
    return select(Warehouse.id).where(*wanted).order_by(Warehouse.id).limit(most)


KEYS = [f"w{number}" for number in range(1, 301)]


@pytest.fixture(scope="module")
def database(tmp_path_factory):
    found = Database(f"sqlite:///{tmp_path_factory.mktemp('built')}/relvan.db")
    bring_up_to_date(found)
    with found.writing() as session:
        session.add_all(
            Warehouse(id=number, key=key, name=key) for number, key in enumerate(KEYS, 1)
        )
    yield found
    found.close()


def asked(database, ids, keys, most=1000):
    with database.reading() as session:
        return list(session.scalars(*warehouses_with(ids, keys, most)))


@given(
    ids=st.lists(st.integers(-5, 320), max_size=LONG + 40),
    keys=st.lists(st.sampled_from([*KEYS, "", "w'1", "ß"]), max_size=LONG + 40),
    most=st.integers(0, 50),
)
def test_it_finds_what_a_plain_rule_finds_for_lists_of_every_length(database, ids, keys, most):
    wanted = sorted(i for i in set(ids) if 1 <= i <= 300 and f"w{i}" in set(keys))[:most]
    assert asked(database, ids, keys, most) == wanted


def test_it_is_built_once_however_often_it_is_asked(database):
    asked(database, [1], ["w1"])
    BUILT.clear()
    for some in ([1], [1, 2, 3], (4,), {5, 6}, {7: "a"}, list(range(1, LONG))):
        assert asked(database, some, KEYS[:LONG]) == sorted(set(some) & set(range(1, LONG + 1)))
    assert BUILT == []


def test_values_may_be_named(database):
    with database.reading() as session:
        found = session.scalars(*warehouses_with([1, 2], keys=["w2"], most=5))
        assert list(found) == [2]
