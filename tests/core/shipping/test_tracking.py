"""Tests what a parcel's standing is, and which claims may be noted."""

from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.shipping.tracking import (
    Claim,
    ClaimState,
    ParcelStage,
    ParcelStanding,
    Tracked,
    check_claim,
    days_late,
    parcel_standing,
)

NOW = datetime(2026, 3, 10, 12, tzinfo=UTC)


@pytest.mark.parametrize(
    ("stage", "silent_days", "arrives", "standing"),
    [
        (ParcelStage.ANNOUNCED, None, date(2026, 3, 11), ParcelStanding.UNDER_WAY),
        (ParcelStage.ANNOUNCED, None, date(2026, 3, 9), ParcelStanding.LATE),
        (ParcelStage.COLLECTED, 1, date(2026, 3, 10), ParcelStanding.UNDER_WAY),
        (ParcelStage.COLLECTED, 1, date(2026, 3, 9), ParcelStanding.LATE),
        (ParcelStage.DELAYED, 1, date(2026, 3, 1), ParcelStanding.LATE),
        (ParcelStage.UNDER_WAY, 5, date(2026, 3, 9), ParcelStanding.MISSING),
        (ParcelStage.UNDER_WAY, 40, date(2026, 3, 10), ParcelStanding.UNDER_WAY),
        (ParcelStage.UNDER_WAY, 40, None, ParcelStanding.UNDER_WAY),
        (ParcelStage.LOST, 0, date(2026, 3, 20), ParcelStanding.LOST),
        (ParcelStage.DELIVERED, 0, date(2026, 3, 1), ParcelStanding.DELIVERED),
    ],
)
def test_a_standing_follows_from_stage_silence_and_promise(stage, silent_days, arrives, standing):
    since = None if silent_days is None else NOW - timedelta(days=silent_days)
    assert parcel_standing(Tracked(stage, since, arrives), NOW) == standing


@given(
    st.sampled_from([s for s in ParcelStage if s not in (ParcelStage.LOST, ParcelStage.DELIVERED)]),
    st.integers(0, 30),
    st.integers(-10, 10),
    st.integers(1, 20),
)
def test_a_parcel_that_nobody_hears_of_only_gets_worse(stage, silent, promised, later):
    parcel = Tracked(stage, NOW - timedelta(days=silent), NOW.date() + timedelta(days=promised))
    worse = [ParcelStanding.UNDER_WAY, ParcelStanding.LATE, ParcelStanding.MISSING]
    first = worse.index(parcel_standing(parcel, NOW))
    assert worse.index(parcel_standing(parcel, NOW + timedelta(days=later))) >= first


@pytest.mark.parametrize(
    ("arrives", "delivered", "late"),
    [
        (None, None, 0),
        (date(2026, 3, 10), None, 0),
        (date(2026, 3, 7), None, 3),
        (date(2026, 3, 7), date(2026, 3, 9), 2),
        (date(2026, 3, 7), date(2026, 3, 5), 0),
    ],
)
def test_days_late_count_from_the_promised_day(arrives, delivered, late):
    assert days_late(arrives, delivered, NOW.date()) == late


@pytest.mark.parametrize(
    ("claim", "before", "codes"),
    [
        (Claim(ClaimState.MADE), ClaimState.NONE, []),
        (Claim(ClaimState.NONE), ClaimState.MADE, []),
        (Claim(ClaimState.REFUSED), ClaimState.MADE, []),
        (Claim(ClaimState.PAID, 500), ClaimState.MADE, []),
        (Claim(ClaimState.PAID, 500), ClaimState.NONE, ["wrong-state"]),
        (Claim(ClaimState.PAID), ClaimState.MADE, ["missing"]),
        (Claim(ClaimState.MADE, -1), ClaimState.NONE, ["too-small"]),
        (Claim(ClaimState.MADE, note="x" * 301), ClaimState.NONE, ["too-long"]),
    ],
)
def test_a_claim_is_made_before_it_is_answered(claim, before, codes):
    assert [refusal.code for refusal in check_claim(claim, before)] == codes
