"""The life of a mail: trouble waits longer each time, and what may have arrived is not sent again."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.mail.life import GIVEN_UP_AFTER, LONGEST_WAIT_S, MailState, Outcome, after_try

NOW = datetime(2026, 11, 28, 12, tzinfo=UTC)


@pytest.mark.parametrize(
    ("outcome", "age", "state"),
    [
        (Outcome.TAKEN, timedelta(), MailState.SENT),
        (Outcome.NOT_NOW, timedelta(hours=1), MailState.WAITING),
        (Outcome.NOT_NOW, GIVEN_UP_AFTER + timedelta(minutes=1), MailState.REFUSED),
        (Outcome.NEVER, timedelta(), MailState.REFUSED),
        (Outcome.MAYBE, timedelta(), MailState.UNSURE),
        (Outcome.MAYBE, GIVEN_UP_AFTER * 2, MailState.UNSURE),
    ],
)
def test_what_a_try_leads_to(outcome, age, state):
    step = after_try(outcome, tries=1, made_at=NOW - age, now=NOW, chance=0.5)
    assert step.state == state
    assert (step.again_at is not None) == (state == MailState.WAITING)


@given(tries=st.integers(1, 60), chance=st.floats(0, 0.999))
def test_the_wait_is_never_longer_than_half_an_hour(tries, chance):
    step = after_try(Outcome.NOT_NOW, tries=tries, made_at=NOW, now=NOW, chance=chance)
    assert timedelta() < step.again_at - NOW <= timedelta(seconds=LONGEST_WAIT_S)
