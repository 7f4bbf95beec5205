"""What becomes of an announcement, and what a listener must be."""

from datetime import UTC, datetime, timedelta

import pytest

from relvan.core.listeners.announcing import KEPT, Matter, Outcome, check_listener, outcome

MADE = datetime(2026, 11, 2, 9, tzinfo=UTC)


@pytest.mark.parametrize(
    ("status", "age", "becomes"),
    [
        (200, timedelta(0), Outcome.HEARD),
        (204, KEPT * 2, Outcome.HEARD),
        (410, timedelta(0), Outcome.CLOSED),
        (500, timedelta(0), Outcome.AGAIN),
        (404, KEPT, Outcome.AGAIN),
        (301, timedelta(0), Outcome.AGAIN),
        (429, KEPT + timedelta(seconds=1), Outcome.GIVEN_UP),
        (None, timedelta(0), Outcome.AGAIN),
        (None, KEPT + timedelta(seconds=1), Outcome.GIVEN_UP),
    ],
)
def test_what_becomes_of_an_announcement_follows_from_the_answer(status, age, becomes):
    assert outcome(status, MADE, MADE + age) is becomes


@pytest.mark.parametrize(
    ("name", "matters", "wrong"),
    [
        ("Books", ["stock"], []),
        ("Books", list(Matter), []),
        ("", ["stock"], ["name"]),
        ("x" * 61, ["stock"], ["name"]),
        ("a\nb", ["stock"], ["name"]),
        ("Books", [], ["matters"]),
        ("Books", ["stock", "weather"], ["matters"]),
        (" ", ["weather"], ["name", "matters"]),
    ],
)
def test_a_listener_has_a_name_and_hears_of_something(name, matters, wrong):
    assert [refusal.field for refusal in check_listener(name, matters)] == wrong
