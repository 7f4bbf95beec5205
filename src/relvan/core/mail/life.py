"""The life of a mail: it waits, is sent once, and is never sent again by itself when it may have
arrived."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from relvan.core.channels.sending import retry_wait

GIVEN_UP_AFTER = timedelta(days=3)
LEASE = timedelta(minutes=3)
LONGEST_WAIT_S = 1_800.0


class MailState(StrEnum):
    """How far a mail is. One that is `UNSURE` may have arrived: the mail server broke off before it
    answered. Only a person sends it again."""

    WAITING = "waiting"
    SENDING = "sending"
    SENT = "sent"
    UNSURE = "unsure"
    REFUSED = "refused"


class Outcome(StrEnum):
    """What became of a try to send."""

    TAKEN = "taken"
    NOT_NOW = "not now"
    MAYBE = "maybe"
    NEVER = "never"


@dataclass(frozen=True)
class MailStep:
    """What a try leads to: the state, and when it is tried again."""

    state: MailState
    again_at: datetime | None = None


def after_try(
    outcome: Outcome, *, tries: int, made_at: datetime, now: datetime, chance: float
) -> MailStep:
    """Returns what a try leads to. After three days of trouble a mail is given up."""
    if outcome == Outcome.TAKEN:
        return MailStep(MailState.SENT)
    if outcome == Outcome.MAYBE:
        return MailStep(MailState.UNSURE)
    if outcome == Outcome.NEVER or now - made_at > GIVEN_UP_AFTER:
        return MailStep(MailState.REFUSED)
    wait = min(LONGEST_WAIT_S, 4 * retry_wait(tries, chance))
    return MailStep(MailState.WAITING, now + timedelta(seconds=wait))
