"""Writing down what a channel must be told, in the transaction of the change that causes it."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.channels.sending import Topic
from relvan.core.waking import Work
from relvan.services.workplace import Workplace
from relvan.store.bulk import insert_rows
from relvan.store.database import after_commit
from relvan.store.listings import open_updates
from relvan.store.tables import OutboxEntry

NEW = ("channel_id", "subject", "topic", "urgency", "listing_id", "job_row_id", "payload", "caused_at", "due_at",
       "created_at", "key")  # fmt: skip


@dataclass(frozen=True)
class Telling:
    """One thing to tell: about which subject (`listing:12`, `order:HG-1`), on which topic, how urgently."""

    channel_id: int
    subject: str
    topic: Topic
    urgency: int
    listing_id: int | None = None
    job_row_id: int | None = None
    caused_at: datetime | None = None
    payload: dict[str, Any] = field(default_factory=dict)


def listing_subject(listing_id: int) -> str:
    """The subject of what is told about a listing."""
    return f"listing:{listing_id}"


@dataclass(frozen=True)
class Pending:
    """What is still to be told of some listings: entries that wait, by channel, subject and topic; (listing, topic) of
    what is being sent just now."""

    waiting: Mapping[tuple[int, str, str], OutboxEntry]
    under_way: frozenset[tuple[int, str]]


def pending_of(session: Session, listing_ids: Collection[int]) -> Pending:
    """What is still to be told of listings; one query."""
    entries = open_updates(session, listing_ids) if listing_ids else []
    waiting = {_key(entry): entry for entry in entries if entry.state == "waiting"}
    sent = ((entry.listing_id, entry.topic) for entry in entries if entry.state != "waiting")
    return Pending(waiting, frozenset((listing_id, topic) for listing_id, topic in sent if listing_id is not None))


def tell(session: Session, workplace: Workplace, tellings: Sequence[Telling], pending: Pending | None = None) -> None:
    """Write outbox entries. What waits already on the same topic is brought up to date: the newest content wins. What
    is `pending` of the listings concerned need not be asked for again.

    The worker is woken once the transaction is saved.
    """
    if not tellings:
        return
    waiting = _waiting(session, tellings) if pending is None else pending.waiting
    fresh: dict[tuple[int, str, str], Telling] = {}
    for telling in tellings:
        key = (telling.channel_id, telling.subject, telling.topic)
        if key in waiting:
            _renew(waiting[key], telling)
        else:
            fresh[key] = _joined(fresh[key], telling) if key in fresh else telling
    session.flush()
    _add(session, workplace, list(fresh.values()))
    for channel_id in {telling.channel_id for telling in tellings}:
        after_commit(session, lambda channel_id=channel_id: workplace.wake(Work.DELIVER, channel_id))  # type: ignore[misc]


def drop_tellings(session: Session, workplace: Workplace, listing_ids: Sequence[int]) -> None:
    """Nothing that waits is told about listings any more."""
    statement = select(OutboxEntry).where(OutboxEntry.listing_id.in_(listing_ids), OutboxEntry.state == "waiting")
    for entry in session.scalars(statement):
        entry.state, entry.ended_at, entry.answer = "dropped", workplace.now(), "no longer wanted"
    session.flush()


def _waiting(session: Session, tellings: Sequence[Telling]) -> dict[tuple[int, str, str], OutboxEntry]:
    subjects = [telling.subject for telling in tellings]
    channels = {telling.channel_id for telling in tellings}
    found: dict[tuple[int, str, str], OutboxEntry] = {}
    for start in range(0, len(subjects), 500):
        rows = session.scalars(
            select(OutboxEntry).where(
                OutboxEntry.state == "waiting",
                OutboxEntry.channel_id.in_(channels),
                OutboxEntry.subject.in_(subjects[start : start + 500]),
            )
        )
        found |= {_key(entry): entry for entry in rows}
    return found


def _key(entry: OutboxEntry) -> tuple[int, str, str]:
    return entry.channel_id, entry.subject, entry.topic


def _renew(entry: OutboxEntry, telling: Telling) -> None:
    if telling.urgency < entry.urgency:
        entry.urgency = telling.urgency
    if telling.payload != entry.payload:
        entry.payload = telling.payload
    if telling.job_row_id:
        entry.job_row_id = telling.job_row_id
    if telling.caused_at and not entry.caused_at:
        entry.caused_at = telling.caused_at


def _joined(first: Telling, second: Telling) -> Telling:
    """Two tellings of the same thing in one go, as one."""
    return replace(
        second,
        urgency=min(first.urgency, second.urgency),
        job_row_id=second.job_row_id or first.job_row_id,
        caused_at=first.caused_at or second.caused_at,
    )


def _add(session: Session, workplace: Workplace, tellings: Sequence[Telling]) -> None:
    now = workplace.now()
    rows = [
        (one.channel_id, one.subject, str(one.topic), int(one.urgency), one.listing_id, one.job_row_id, one.payload,
         one.caused_at, now, now, workplace.new_key())
        for one in tellings
    ]  # fmt: skip
    insert_rows(session, OutboxEntry, NEW, rows)
