"""Tests what becomes of an announcement, and what a webhook must be."""

from datetime import UTC, datetime, timedelta

import pytest

from relvan.core.webhooks.announcing import (
    KEPT,
    AnnouncementOutcome,
    Matter,
    check_webhook,
    outcome,
)

MADE = datetime(2026, 11, 2, 9, tzinfo=UTC)


@pytest.mark.parametrize(
    ("status", "age", "becomes"),
    [
        (200, timedelta(0), AnnouncementOutcome.HEARD),
        (204, KEPT * 2, AnnouncementOutcome.HEARD),
        (410, timedelta(0), AnnouncementOutcome.CLOSED),
        (500, timedelta(0), AnnouncementOutcome.AGAIN),
        (404, KEPT, AnnouncementOutcome.AGAIN),
        (301, timedelta(0), AnnouncementOutcome.AGAIN),
        (429, KEPT + timedelta(seconds=1), AnnouncementOutcome.GIVEN_UP),
        (None, timedelta(0), AnnouncementOutcome.AGAIN),
        (None, KEPT + timedelta(seconds=1), AnnouncementOutcome.GIVEN_UP),
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
def test_a_webhook_has_a_name_and_hears_of_something(name, matters, wrong):
    assert [refusal.field for refusal in check_webhook(name, matters)] == wrong
