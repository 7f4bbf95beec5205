"""When a backup is due, and which are kept."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.setup.backups import (
    BackupPlan,
    check_plan,
    is_due,
    is_try_due,
    last_night,
    surplus,
)

PLAN = BackupPlan(hour=2)
NOW = datetime(2026, 11, 29, 9, tzinfo=UTC)


@pytest.mark.parametrize(
    ("now", "last", "due"),
    [
        (NOW, None, True),
        (NOW, NOW.replace(hour=2, minute=1), False),
        (NOW, NOW.replace(hour=1), True),
        (NOW.replace(hour=1), NOW - timedelta(hours=40), True),
        (NOW.replace(hour=1), NOW - timedelta(hours=25), False),
        (NOW, NOW - timedelta(days=9), True),
    ],
)
def test_a_backup_is_due_once_for_every_night_that_has_passed(now, last, due):
    first_day = NOW - timedelta(days=10)
    assert is_due(PLAN, now, last, first_day) is due
    assert not is_due(BackupPlan(on=False), now, last, first_day)


def test_a_firm_that_began_today_waits_for_its_first_night():
    began = NOW.replace(hour=8)
    assert not is_due(PLAN, NOW, None, began)
    assert is_due(PLAN, NOW + timedelta(days=1), None, began)


def test_the_night_is_by_the_clock_of_the_firm():
    there = NOW.astimezone(ZoneInfo("Asia/Tokyo"))
    assert last_night(PLAN, there) == datetime(2026, 11, 29, 2, tzinfo=ZoneInfo("Asia/Tokyo"))


@given(st.integers(0, 23), st.datetimes(datetime(2026, 1, 1), datetime(2027, 1, 1)))
def test_right_after_a_backup_none_is_due_and_a_day_later_one_is(hour, moment):
    now, plan = moment.replace(tzinfo=UTC), BackupPlan(hour=hour)
    assert not is_due(plan, now, now, now)
    assert is_due(plan, now + timedelta(days=1, seconds=1), now, now)
    assert now - timedelta(days=1) < last_night(plan, now) <= now


def test_a_backup_is_tried_once_a_week():
    assert is_try_due(NOW, None)
    assert not is_try_due(NOW, NOW - timedelta(days=6))
    assert is_try_due(NOW, NOW - timedelta(days=7))


@given(st.integers(0, 30), st.integers(1, 20))
def test_the_newest_are_kept(count, keep):
    newest_first = list(range(count, 0, -1))
    assert surplus(newest_first, keep) == newest_first[keep:]


@pytest.mark.parametrize(
    ("plan", "field"),
    [
        (BackupPlan(hour=24), "hour"),
        (BackupPlan(keep=0), "keep"),
        (BackupPlan(folder="here"), "folder"),
    ],
)
def test_a_plan_that_cannot_be_is_refused_beside_its_field(plan, field):
    assert [refusal.field for refusal in check_plan(plan)] == [field]
