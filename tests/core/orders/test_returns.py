"""What may be taken off a line, what may come back, and what it is worth."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.orders.changing import words_of_late_line
from relvan.core.orders.returns import (
    LineStanding,
    Worth,
    refund_of,
    refuse_refund,
    refuse_return,
    refuse_taking_off,
)


@pytest.mark.parametrize(
    ("line", "units", "code"),
    [
        (LineStanding("A", 3), 3, ""),
        (LineStanding("A", 3), 0, "out-of-range"),
        (LineStanding("A", 3), 4, "out-of-range"),
        (LineStanding("A", 3, picked=1), 2, ""),
        (LineStanding("A", 3, picked=1), 3, "picked"),
        (LineStanding("A", 3, picked=3, shipped=3), 1, "picked"),
        (LineStanding("A", 3, invoiced=2), 1, ""),
        (LineStanding("A", 3, invoiced=2), 2, "invoiced"),
        (LineStanding("A", 0), 1, "out-of-range"),
    ],
)
def test_units_are_taken_off_until_they_are_picked_or_invoiced(line, units, code):
    assert "".join(refusal.code for refusal in refuse_taking_off(line, units)) == code


LINES = {1: LineStanding("A", 3, 3, 3), 2: LineStanding("B", 2, 1, 1)}


@pytest.mark.parametrize(
    ("before", "wanted", "reason", "fields"),
    [
        ({}, {1: 3, 2: 1}, "broken", []),
        ({1: 2}, {1: 1}, "broken", []),
        ({1: 2}, {1: 2}, "broken", ["lines"]),
        ({}, {2: 2}, "broken", ["lines"]),
        ({}, {9: 1}, "broken", ["lines"]),
        ({}, {1: 0}, "broken", ["lines"]),
        ({}, {1: -1}, "broken", ["lines"]),
        ({}, {1: 1}, " ", ["reason"]),
        ({}, {1: 1}, "x" * 201, ["reason"]),
    ],
)
def test_only_what_was_shipped_can_come_back_and_for_a_reason(before, wanted, reason, fields):
    assert [one.field for one in refuse_return(LINES, before, wanted, reason)] == fields


@pytest.mark.parametrize(
    ("amount", "worth", "needs", "code"),
    [
        (100, 100, "", ""),
        (1, 100, "", ""),
        (0, 100, "", "out-of-range"),
        (101, 100, "", "out-of-range"),
        (1, 0, "Nothing came.", "wrong-state"),
    ],
)
def test_no_more_is_given_back_than_the_goods_came_to(amount, worth, needs, code):
    assert "".join(one.code for one in refuse_refund(amount, worth, needs=needs)) == code


@given(
    amount=st.integers(0, 10**7),
    parts=st.lists(st.integers(0, 20), min_size=1, max_size=6).filter(lambda found: sum(found) > 0),
)
def test_however_goods_come_back_the_refunds_add_up_to_the_line(amount, parts):
    ordered, before, given_back = sum(parts), 0, 0
    for units in parts:
        given_back += refund_of([Worth(amount, ordered, before, units)])
        before += units
    assert given_back == amount


@pytest.mark.parametrize(
    ("line", "words"),
    [
        (LineStanding("A", 2, 2, 2), "had left"),
        (LineStanding("A", 2, 2), "2 units are picked"),
        (LineStanding("A", 2, invoiced=2), "2 units are invoiced"),
    ],
)
def test_what_cannot_follow_is_laid_before_the_team(line, words):
    assert words in words_of_late_line(line, 1)
