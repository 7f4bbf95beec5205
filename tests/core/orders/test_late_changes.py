"""Tests what a person may choose where a channel changes an order too late."""

from itertools import product

import pytest

from relvan.core.orders.late_changes import (
    LateChoice,
    LateStanding,
    NoticeKind,
    choices_of,
    refuse_choice,
)


@pytest.mark.parametrize(
    ("kind", "waiting", "left", "choices"),
    [
        ("note", 0, 0, "seen"),
        ("note", 2, 2, "seen"),
        ("cancelled", 2, 0, "put-back"),
        ("cancelled", 1, 2, "put-back"),
        ("cancelled", 0, 2, "recall refund let-go"),
        ("cancelled", 0, 0, "seen"),
        ("address", 0, 2, "recall let-go"),
        ("address", 1, 2, "recall let-go"),
        ("address", 1, 0, "seen"),
        ("taken-off", 1, 0, "take-off let-go"),
        ("taken-off", 0, 0, "seen"),
        ("taken-off", 0, 1, "recall refund let-go"),
        ("taken-off", 1, 1, "take-off let-go"),
    ],
)
def test_the_choices_follow_from_where_the_goods_are(kind, waiting, left, choices):
    found = choices_of(NoticeKind(kind), LateStanding(waiting, left))
    assert [str(one) for one in found] == choices.split()


def test_only_what_is_offered_is_taken_and_something_always_is():
    standings = [LateStanding(waiting, left) for waiting, left in product((0, 1), (0, 2))]
    for kind, standing in product(NoticeKind, standings):
        offered = choices_of(kind, standing)
        assert offered
        for choice in (*LateChoice, "explode", ""):
            taken, refusals = refuse_choice(choice, kind, standing)
            assert (taken == choice and not refusals) if choice in offered else taken is None
            assert bool(refusals) == (choice not in offered)
