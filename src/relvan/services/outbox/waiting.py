"""Letting an update wait again, without ever two waiting on the same topic."""

from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.store.tables import OutboxEntry


def return_to_waiting(session: Session, entry: OutboxEntry, due_at: datetime) -> None:
    """Let an entry wait again; when a newer one on the same topic waits already, the newer one stands for it."""
    newer = session.scalar(
        select(OutboxEntry).where(
            OutboxEntry.channel_id == entry.channel_id,
            OutboxEntry.subject == entry.subject,
            OutboxEntry.topic == entry.topic,
            OutboxEntry.state == "waiting",
        )
    )
    entry.taken_by, entry.taken_until = "", None
    if newer is None:
        entry.state, entry.due_at = "waiting", due_at
    else:
        entry.state, entry.ended_at, entry.answer = "overtaken", due_at, "a newer one was sent instead"
        newer.caused_at = newer.caused_at or entry.caused_at
        newer.job_row_id = newer.job_row_id or entry.job_row_id
        newer.urgency = min(newer.urgency, entry.urgency)
    session.flush()
