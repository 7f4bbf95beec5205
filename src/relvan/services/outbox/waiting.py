"""Lets an update wait again, without two ever waiting on the same topic."""

from datetime import datetime

from relvan.core.channels.sending import UpdateState
from relvan.store.outbox import newer_waiting
from relvan.store.session import Session
from relvan.store.tables import OutboxEntry


def return_to_waiting(session: Session, entry: OutboxEntry, due_at: datetime) -> None:
    """Lets an update wait again. When a newer one on the same topic waits already, the newer one
    replaces it."""
    newer = newer_waiting(session, entry)
    entry.taken_by, entry.taken_until = "", None
    if newer is None:
        entry.state, entry.due_at = UpdateState.WAITING, due_at
    else:
        entry.state, entry.ended_at, entry.answer = (
            UpdateState.REPLACED,
            due_at,
            "a newer one was sent instead",
        )
        newer.caused_at = newer.caused_at or entry.caused_at
        newer.job_row_id = newer.job_row_id or entry.job_row_id
        newer.urgency = min(newer.urgency, entry.urgency)
    session.flush()
