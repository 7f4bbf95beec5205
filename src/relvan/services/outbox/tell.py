"""Writes down the updates that a channel must get, in the transaction of the change that causes
them."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import partial
from typing import Any

from relvan.core.channels.sending import Topic, UpdateState
from relvan.core.channels.subject import UpdateSubject
from relvan.core.waking import Work
from relvan.services.workplace import Workplace
from relvan.store.bulk import insert_rows
from relvan.store.database import after_commit
from relvan.store.outbox import (
    OpenUpdate,
    open_updates,
    save_renewed,
    waiting_about,
    waiting_of_listings,
)
from relvan.store.session import Session
from relvan.store.tables import OutboxEntry

NEW = (
    "channel_id",
    "subject",
    "topic",
    "urgency",
    "listing_id",
    "job_row_id",
    "payload",
    "caused_at",
    "due_at",
    "created_at",
    "key",
)


Waiting = tuple[int, UpdateSubject, str]  # channel, subject, topic


@dataclass(frozen=True)
class Telling:
    """One update that is to be sent: its subject, its topic, and how urgent it is."""

    channel_id: int
    subject: UpdateSubject
    topic: Topic
    urgency: int
    listing_id: int | None = None
    job_row_id: int | None = None
    caused_at: datetime | None = None
    payload: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Pending:
    """What is still to be sent of some listings: updates that wait, by channel, subject and topic;
    and (listing, topic) of those that are being sent just now."""

    waiting: Mapping[Waiting, OpenUpdate]
    under_way: frozenset[tuple[int, str]]


NOTHING_PENDING = Pending({}, frozenset())


def pending_of(session: Session, listing_ids: Collection[int]) -> Pending:
    """Returns what is still to be sent of listings, with one query."""
    entries = open_updates(session, listing_ids) if listing_ids else []
    waiting = {
        (one.channel_id, one.subject, one.topic): one
        for one in entries
        if one.state == UpdateState.WAITING
    }
    sent = (
        (entry.listing_id, entry.topic) for entry in entries if entry.state != UpdateState.WAITING
    )
    return Pending(
        waiting,
        frozenset((listing_id, topic) for listing_id, topic in sent if listing_id is not None),
    )


def tell(
    session: Session,
    workplace: Workplace,
    tellings: Sequence[Telling],
    pending: Pending | None = None,
) -> None:
    """Writes updates. Those that wait already on the same topic get the newest content. `pending`
    of the listings concerned need not be asked for again.

    The worker is woken once the transaction is saved.
    """
    if not tellings:
        return
    waiting = _waiting(session, tellings) if pending is None else pending.waiting
    fresh: dict[Waiting, Telling] = {}
    renewed: dict[int, OpenUpdate] = {}
    for telling in tellings:
        key = (telling.channel_id, telling.subject, telling.topic)
        if key in waiting:
            if _renew(waiting[key], telling):
                renewed[waiting[key].id] = waiting[key]
        else:
            fresh[key] = _joined(fresh[key], telling) if key in fresh else telling
    session.flush()
    save_renewed(session, list(renewed.values()))
    _add(session, workplace, list(fresh.values()))
    for channel_id in {telling.channel_id for telling in tellings}:
        after_commit(session, partial(workplace.wake, Work.DELIVER, channel_id))


def drop_tellings(session: Session, workplace: Workplace, listing_ids: Sequence[int]) -> None:
    """Drops all updates about listings that wait."""
    for entry in waiting_of_listings(session, listing_ids):
        entry.state, entry.ended_at, entry.answer = (
            UpdateState.DROPPED,
            workplace.now(),
            "no longer wanted",
        )
    session.flush()


def _waiting(session: Session, tellings: Sequence[Telling]) -> Mapping[Waiting, OpenUpdate]:
    channels = {telling.channel_id for telling in tellings}
    return waiting_about(session, channels, [telling.subject for telling in tellings])


def _renew(entry: OpenUpdate, telling: Telling) -> bool:
    """Gives a waiting update the newest content; returns whether anything of it has changed."""
    before = (entry.urgency, entry.payload, entry.job_row_id, entry.caused_at)
    entry.urgency = min(entry.urgency, telling.urgency)
    entry.payload = telling.payload
    entry.job_row_id = telling.job_row_id or entry.job_row_id
    entry.caused_at = entry.caused_at or telling.caused_at
    return before != (entry.urgency, entry.payload, entry.job_row_id, entry.caused_at)


def _joined(first: Telling, second: Telling) -> Telling:
    """Joins two updates about the same thing."""
    return replace(
        second,
        urgency=min(first.urgency, second.urgency),
        job_row_id=second.job_row_id or first.job_row_id,
        caused_at=first.caused_at or second.caused_at,
    )


def _add(session: Session, workplace: Workplace, tellings: Sequence[Telling]) -> None:
    now = workplace.now()
    rows = [
        (
            one.channel_id,
            one.subject,
            str(one.topic),
            int(one.urgency),
            one.listing_id,
            one.job_row_id,
            one.payload,
            one.caused_at,
            now,
            now,
            workplace.new_key(),
        )
        for one in tellings
    ]
    insert_rows(session, OutboxEntry, NEW, rows)
