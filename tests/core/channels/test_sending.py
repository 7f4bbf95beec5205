"""Tests what is sent first, how long one waits, when one stops trying for a while."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.channels.sending import (
    LONGEST_WAIT_S,
    Breaker,
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
