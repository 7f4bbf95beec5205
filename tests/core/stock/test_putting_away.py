"""Tests into which bins goods are put, and what is said of their number."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.stock.putting_away import PutAwayBin, put_away, said_of_units

OWN = PutAwayBin("C-03", 30, capacity=20, own=12, all_units=12)
OTHER = PutAwayBin("A-01", 1, capacity=50, all_units=9)
EMPTY = PutAwayBin("B-02", 10, capacity=5)
RESERVE = PutAwayBin("R-01", 90, reserve=True, own=40, all_units=40)
FAR = PutAwayBin("R-02", 95, reserve=True)


@pytest.mark.parametrize(
    ("units", "shelves", "put"),
    [
        (3, [OTHER, EMPTY, OWN], [("C-03", 3)]),
        (8, [OTHER, EMPTY, OWN], [("C-03", 8)]),
        (10, [OTHER, EMPTY, OWN, RESERVE], [("C-03", 8), ("R-01", 2)]),
        (10, [OTHER, EMPTY, OWN, FAR], [("C-03", 8), ("B-02", 2)]),
        (20, [OTHER, EMPTY, OWN, FAR], [("C-03", 8), ("B-02", 5), ("R-02", 7)]),
        (20, [OTHER, EMPTY, OWN], [("C-03", 15), ("B-02", 5)]),
        (4, [EMPTY, PutAwayBin("B-01", 9)], [("B-01", 4)]),
        (4, [OTHER], [("A-01", 4)]),
        (4, [PutAwayBin("X", 1, capacity=0, own=2, all_units=2)], [("X", 4)]),
        (4, [], []),
        (0, [EMPTY], []),
    ],
)
def test_goods_go_where_they_lie_then_to_the_nearest_room(units, shelves, put):
    assert [(one.code, one.units) for one in put_away(units, shelves)] == put


@given(
    st.integers(1, 60),
    st.lists(
        st.builds(
            PutAwayBin,
            code=st.text("ABC", min_size=1, max_size=3),
            walk=st.integers(0, 9),
            reserve=st.booleans(),
            capacity=st.one_of(st.none(), st.integers(0, 20)),
            own=st.integers(0, 5),
            all_units=st.integers(5, 9),
        ),
        unique_by=lambda one: one.code,
        max_size=6,
    ),
)
def test_every_unit_finds_a_bin_where_there_is_one(units, shelves):
    put = put_away(units, shelves)
    assert sum(one.units for one in put) == (units if shelves else 0)
    assert len({one.code for one in put}) == len(put)
    rooms = {one.code: one.room for one in shelves}
    crowded = [one for one in put if rooms[one.code] is not None and one.units > rooms[one.code]]
    assert all(one.why == "no bin has room for all" for one in crowded)
    assert len(crowded) <= 1


@pytest.mark.parametrize(
    ("expected", "came", "units", "words", "look"),
    [
        (0, 0, 3, "None of it is expected here.", True),
        (12, 4, 9, "1 more than the 8 that are still expected.", True),
        (12, 4, 8, "With these all has come that is expected.", False),
        (12, 4, 5, "3 of 8 are still to come after these.", False),
        (12, 12, 1, "1 more than the 0 that are still expected.", True),
    ],
)
def test_more_and_less_than_expected_is_said(expected, came, units, words, look):
    assert said_of_units(expected, came, units) == (words, look)
