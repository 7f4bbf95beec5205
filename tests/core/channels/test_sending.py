"""Tests what is sent first, how long one waits, when one stops trying for a while."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.channels.sending import (
    FIRST_SERIES,
    LONGEST_WAIT_S,
    MOST_IN_SERIES,
    SERIES_S,
    Breaker,
    CallTimes,
    TokenBucket,
    Topic,
    Urgency,
    quantity_urgency,
    retry_wait,
    topic_urgency,
)


@pytest.mark.parametrize(
    ("before", "after", "urgency"),
    [
        (5, 0, Urgency.QUANTITY_TO_ZERO),
        (5, 4, Urgency.QUANTITY_DOWN),
        (None, 4, Urgency.QUANTITY_DOWN),
        (4, 5, Urgency.QUANTITY_UP),
        (4, 4, Urgency.QUANTITY_UP),
    ],
)
def test_what_could_oversell_goes_first(before, after, urgency):
    assert quantity_urgency(before, after) == urgency


@pytest.mark.parametrize(
    ("before", "after", "urgency"), [(5, 0, 3), (5, 4, 3), (None, 4, 3), (4, 5, 5), (0, 0, 1)]
)
def test_what_is_only_held_back_goes_after_what_was_sold(before, after, urgency):
    assert quantity_urgency(before, after, precaution=True) == urgency


def test_the_order_of_sending():
    topics = [Topic.ACKNOWLEDGE, Topic.PRICE, Topic.CONTENT, Topic.PICTURES]
    found = [topic_urgency(topic) for topic in topics]
    assert found == sorted(found)
    assert (
        Urgency.QUANTITY_DOWN
        < topic_urgency(Topic.TRACKING)
        < Urgency.QUANTITY_UP
        < topic_urgency(Topic.PUBLISH)
    )


@given(st.integers(1, 500), st.floats(0, 1, exclude_max=True))
def test_waits_grow_with_jitter_and_stay_within_bounds(attempt, chance):
    wait = retry_wait(attempt, chance)
    whole = min(LONGEST_WAIT_S, 0.5 * 2 ** min(attempt - 1, 20))
    assert whole / 2 <= wait <= whole


@given(st.integers(1, 9), st.floats(0, 1, exclude_max=True), st.floats(0, 600))
def test_what_the_channel_asked_for_is_obeyed(attempt, chance, asked):
    assert retry_wait(attempt, chance, asked) >= asked


def test_five_failures_in_a_row_are_trouble_and_one_success_heals():
    breaker = Breaker()
    for _ in range(4):
        breaker = breaker.after(ok=False)
    assert not breaker.in_trouble
    breaker = breaker.after(ok=False)
    assert breaker.in_trouble
    assert 3.75 <= breaker.probe_wait(0.0) <= breaker.probe_wait(0.99) <= 5
    assert Breaker(50).probe_wait(0.99) <= 20
    assert breaker.after(ok=True) == Breaker(0)


@given(st.lists(st.floats(0, 2), min_size=30, max_size=60))
def test_a_bucket_never_lets_more_through_than_its_rate_and_burst(pauses):
    bucket, now, sent = TokenBucket(5.0, 3, 3.0, 0.0), 0.0, []
    for pause in pauses:
        now += pause
        bucket, wait = bucket.take(now)
        sent.append(now + wait)
    for start in range(len(sent)):
        for end in range(start, len(sent)):
            assert end - start + 1 <= 3 + 5.0 * (sent[end] - sent[start]) + 1.0001


@pytest.mark.parametrize(
    ("seconds", "together"),
    [
        ((), 8),
        ((0.0,), 24),
        ((0.006,), 24),
        ((0.018,), 8),
        ((0.03,), 5),
        ((0.06,), 2),
        ((0.15,), 1),
        ((20.0,), 1),
        ((0.09, 0.03), 2),  # 0.06 in the mean
        ((20.0, *[0.01] * 14), 13),  # what was slow once is forgotten
    ],
)
def test_a_series_is_as_long_as_it_has_time_for(seconds, together):
    times = CallTimes()
    for one in seconds:
        times.note(1, Topic.PUBLISH, one)
    assert times.series_length(1, Topic.PUBLISH) == together
    assert times.series_length(1, Topic.PRICE) == FIRST_SERIES
    assert times.series_length(2, Topic.PUBLISH) == FIRST_SERIES


@given(st.lists(st.floats(0, 100), max_size=20))
def test_a_series_is_never_empty_and_ends_in_time(seconds):
    times = CallTimes()
    for one in seconds:
        times.note(1, Topic.PRICE, one)
    together = times.series_length(1, Topic.PRICE)
    assert 1 <= together <= MOST_IN_SERIES
    if seconds and together > 1:
        assert together * min(seconds) <= SERIES_S
    assert (together == FIRST_SERIES) or seconds
