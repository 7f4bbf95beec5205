"""Calls with an `Idempotency-Key`: remembered for a day, and answered the same when they are made again."""

from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy import delete

from relvan.core.refusal import refuse
from relvan.services.workplace import Workplace
from relvan.store.tables import RepeatedCall

KEPT = timedelta(days=1)
STILL_RUNNING = timedelta(seconds=60)


@dataclass(frozen=True)
class Repeated:
    """What the first call was answered."""

    status: int
    body: str


def begin_call(workplace: Workplace, token_id: int, key: str, fingerprint: str) -> Repeated | None:
    """Note that a call begins; with the answer when it was made before.

    Refused: the key of another call, or a call that is still running.
    """
    now = workplace.now()
    with workplace.database.writing() as session:
        session.execute(delete(RepeatedCall).where(RepeatedCall.at < now - KEPT))
        known = session.get(RepeatedCall, (token_id, key))
        if known is None:
            session.add(RepeatedCall(token_id=token_id, key=key, fingerprint=fingerprint, status=None, at=now))
            return None
        if known.fingerprint != fingerprint:
            raise refuse("idempotency-key", "This Idempotency-Key belongs to another call.", "Use a new key.")
        if known.status is not None:
            return Repeated(known.status, known.body)
        if now - known.at < STILL_RUNNING:
            raise refuse("still-running", "The first call with this key is still running.", "Ask again soon.")
        known.at = now
        return None


def end_call(workplace: Workplace, token_id: int, key: str, status: int, body: str) -> None:
    """Keep the answer; one of a server's failure is not kept, so that the call can be made again."""
    if status >= 500:
        forget_call(workplace, token_id, key)
        return
    with workplace.database.writing() as session:
        known = session.get(RepeatedCall, (token_id, key))
        if known is not None:
            known.status, known.body = status, body


def forget_call(workplace: Workplace, token_id: int, key: str) -> None:
    """Forget a call that was refused or failed before it changed anything."""
    with workplace.database.writing() as session:
        session.execute(delete(RepeatedCall).where(RepeatedCall.token_id == token_id, RepeatedCall.key == key))
