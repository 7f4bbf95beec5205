"""Calls with an `Idempotency-Key` are remembered for a day. When they are made again, they get the
same answer."""

from dataclasses import dataclass
from datetime import timedelta

from relvan.core.refusal import refuse
from relvan.services.workplace import Workplace
from relvan.store.repeated import forget_calls, forget_one_call
from relvan.store.tables import RepeatedCall

KEPT = timedelta(days=1)
STILL_RUNNING = timedelta(seconds=60)


@dataclass(frozen=True)
class RepeatedAnswer:
    """The answer that the first call got."""

    status: int
    body: str


def begin_call(
    workplace: Workplace, token_id: int, key: str, fingerprint: str
) -> RepeatedAnswer | None:
    """Notes that a call begins; returns the answer when it was made before.

    Refused are the key of another call, and a call that is still running.
    """
    now = workplace.now()
    with workplace.database.writing() as session:
        forget_calls(session, now - KEPT)
        known = session.get(RepeatedCall, (token_id, key))
        if known is None:
            session.add(
                RepeatedCall(
                    token_id=token_id, key=key, fingerprint=fingerprint, status=None, at=now
                )
            )
            return None
        if known.fingerprint != fingerprint:
            raise refuse(
                "idempotency-key", "This Idempotency-Key belongs to another call.", "Use a new key."
            )
        if known.status is not None:
            return RepeatedAnswer(known.status, known.body)
        if now - known.at < STILL_RUNNING:
            raise refuse(
                "still-running", "The first call with this key is still running.", "Ask again soon."
            )
        known.at = now
        return None


def end_call(workplace: Workplace, token_id: int, key: str, status: int, body: str) -> None:
    """Keeps the answer. A server error is not kept, so that the call can be made again."""
    if status >= 500:
        forget_call(workplace, token_id, key)
        return
    with workplace.database.writing() as session:
        known = session.get(RepeatedCall, (token_id, key))
        if known is not None:
            known.status, known.body = status, body


def forget_call(workplace: Workplace, token_id: int, key: str) -> None:
    """Drops a call that was refused or failed before it changed anything."""
    with workplace.database.writing() as session:
        forget_one_call(session, token_id, key)
