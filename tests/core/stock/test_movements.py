"""Tests what each kind of movement does to a bin."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.refusal import Refused
from relvan.core.stock.movements import Change, Level, Reason, check_note, movement_change


@pytest.mark.parametrize(
    ("reason", "level", "wish", "change"),
    [
        (Reason.RECEIPT, Level(5, 0), {"change": 3}, Change(3)),
        (Reason.OPENING, Level(0, 0), {"change": 3}, Change(3)),
        (Reason.OPENING, Level(0, 0), {"counted": 7}, Change(7)),
        (Reason.RETURN, Level(5, 0), {"change": 1}, Change(1)),
        (Reason.WRITE_OFF, Level(5, 0), {"change": -2}, Change(-2)),
        (Reason.WRITE_OFF, Level(5, 0), {"change": 2}, Change(-2)),
        (Reason.WRITE_OFF, Level(5, 4), {"change": -3}, Change(-3, -2)),
        (Reason.BLOCK, Level(5, 1), {"change": 4}, Change(0, 4)),
        (Reason.UNBLOCK, Level(5, 3), {"change": -3}, Change(0, -3)),
        (Reason.COUNT, Level(5, 0), {"counted": 5}, Change(0)),
        (Reason.COUNT, Level(5, 0), {"counted": 8}, Change(3)),
        (Reason.COUNT, Level(5, 2), {"counted": 4}, Change(-1, -1)),
        (Reason.COUNT, Level(5, 2), {"counted": 0}, Change(-5, -2)),
        (Reason.COUNT, Level(10, 0, 2), {"counted": 8}, Change(0)),  # two were picked
        (Reason.COUNT, Level(10, 0, 2), {"counted": 7}, Change(-1)),
        (Reason.COUNT, Level(10, 3, 2), {"counted": 0}, Change(-8, -3)),
        (Reason.COUNT, Level(10, 3, 2), {"counted": 8}, Change(0)),
        (Reason.COUNT, Level(0, 0, 2), {"counted": 0}, Change(2)),
        (Reason.WRITE_OFF, Level(5, 4, 1), {"change": -1}, Change(-1, -1)),
        (Reason.BLOCK, Level(5, 1, 2), {"change": 2}, Change(0, 2)),
    ],
)
def test_a_movement_changes_the_bin(reason, level, wish, change):
    assert movement_change(reason, level, **{"change": None, "counted": None, **wish}) == change


@pytest.mark.parametrize(
    ("reason", "level", "wish", "code"),
    [
        (Reason.RECEIPT, Level(5, 0), {}, "movement"),
        (Reason.RECEIPT, Level(5, 0), {"change": 1, "counted": 1}, "movement"),
        (Reason.RECEIPT, Level(5, 0), {"change": 0}, "out-of-range"),
        (Reason.RECEIPT, Level(5, 0), {"change": -1}, "movement"),
        (Reason.RECEIPT, Level(5, 0), {"counted": 5}, "movement"),
        (Reason.RECEIPT, Level(5, 0), {"change": 10_000_001}, "out-of-range"),
        (Reason.COUNT, Level(5, 0), {"change": 1}, "movement"),
        (Reason.COUNT, Level(5, 0), {"counted": -1}, "out-of-range"),
        (Reason.WRITE_OFF, Level(5, 0), {"change": -6}, "not-enough"),
        (Reason.BLOCK, Level(5, 2), {"change": 4}, "not-enough"),
        (Reason.WRITE_OFF, Level(5, 0, 2), {"change": -4}, "not-enough"),
        (Reason.BLOCK, Level(5, 1, 2), {"change": 3}, "not-enough"),
        (Reason.UNBLOCK, Level(5, 2), {"change": 3}, "not-enough"),
        (Reason.DISPATCH, Level(5, 2), {"change": -1}, "movement"),
        (Reason.SHORT_PICK, Level(5, 2), {"change": 1}, "movement"),
    ],
)
def test_a_movement_that_cannot_be_is_refused(reason, level, wish, code):
    with pytest.raises(Refused) as refused:
        movement_change(reason, level, **{"change": None, "counted": None, **wish})
    assert refused.value.first.code == code


@given(
    st.sampled_from(list(Reason)),
    st.tuples(st.integers(0, 50), st.integers(0, 50)).map(lambda pair: Level(max(pair), min(pair))),
    st.integers(-60, 60) | st.none(),
    st.integers(-5, 60) | st.none(),
)
def test_no_accepted_movement_leaves_a_bin_below_nothing_or_blocks_more_than_lies_there(
    reason, level, change, counted
):
    try:
        found = movement_change(reason, level, change=change, counted=counted)
    except Refused:
        return
    after = Level(level.on_hand + found.on_hand, level.blocked + found.blocked)
    assert 0 <= after.blocked <= after.on_hand
    if counted is not None:
        assert after.on_hand == counted


def test_a_note_is_short():
    assert check_note("x" * 200) == []
    assert check_note("x" * 201)[0].field == "note"
