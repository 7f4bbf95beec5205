"""Queries over updates on their way to channels: which wait, which is sent next, and to which an
answer belongs.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import datetime
from typing import Any

from sqlalchemy import (
    ColumnElement,
    Select,
    Text,
    Update,
    literal_column,
    or_,
    select,
    type_coerce,
    update,
)
from sqlalchemy.orm import Session, aliased

from relvan.core.channels.sending import UpdateState
from relvan.core.channels.subject import UpdateSubject
from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.bulk import read_anew, update_columns
from relvan.store.tables import OutboxEntry

AT_A_TIME = 500  # subjects in one statement


def entries_by_id(session: Session, entry_ids: Collection[int]) -> dict[int, OutboxEntry]:
    """Returns updates by their ids."""
    return {row.id: row for row in session.scalars(*_entries_with_ids(entry_ids))}


@built_once
def _entries_with_ids(entry_ids: Collection[int]) -> Select[OutboxEntry]:
    return select(OutboxEntry).where(among(OutboxEntry.id, entry_ids))


def close_as_accepted(session: Session, entry_ids: Collection[int], now: datetime) -> None:
    """Closes updates that a channel accepted."""
    session.execute(*_closing_as_accepted(entry_ids, now))


@built_once
def _closing_as_accepted(entry_ids: Collection[int], now: datetime) -> Update:
    values = {"state": UpdateState.ACCEPTED, "ended_at": now, "answer": "accepted"}
    statement = update(OutboxEntry).where(among(OutboxEntry.id, entry_ids)).values(values)
    return statement.execution_options(synchronize_session=False)


def let_waiting_go(session: Session, channel_id: int, now: datetime) -> None:
    """Makes all waiting updates of a channel due now, whenever they were to be tried again."""
    later = (
        OutboxEntry.channel_id == channel_id,
        OutboxEntry.state == UpdateState.WAITING,
        OutboxEntry.due_at > now,
    )
    session.execute(update(OutboxEntry).where(*later).values(due_at=now))


def taken_entries(session: Session, now: datetime, worker: str = "") -> list[OutboxEntry]:
    """Returns the updates that are being sent by one worker, or by any worker whose lease is over."""
    condition = OutboxEntry.taken_by == worker if worker else OutboxEntry.taken_until < now
    return list(
        session.scalars(
            select(OutboxEntry).where(OutboxEntry.state == UpdateState.SENDING, condition)
        )
    )


def take_entries(
    session: Session, entry_ids: Collection[int], worker: str, until: datetime, mark: str
) -> None:
    """Gives updates to a worker until its lease is over. `mark` names the sheet with which they are
    handed in.
    """
    session.execute(*_taking(entry_ids, worker, until, mark))


@built_once
def _taking(entry_ids: Collection[int], worker: str, until: datetime, mark: str) -> Update:
    values = {"state": UpdateState.SENDING, "taken_by": worker, "taken_until": until, "sheet": mark}
    statement = update(OutboxEntry).where(among(OutboxEntry.id, entry_ids))
    statement = statement.values(values | {"attempts": OutboxEntry.attempts + 1})
    return statement.execution_options(synchronize_session=False)


def first_due(session: Session, channel_id: int) -> datetime | None:
    """Returns when the first waiting update of a channel is due."""
    due: datetime | None = bare_rows(session, *_first_due_moment(channel_id)).scalar()
    return due


@built_once
def _first_due_moment(channel_id: int) -> Select[datetime]:
    waiting = (OutboxEntry.channel_id == channel_id, OutboxEntry.state == UpdateState.WAITING)
    return select(OutboxEntry.due_at).where(*waiting).order_by(OutboxEntry.due_at).limit(1)


def most_urgent_entry(session: Session, channel_id: int, now: datetime) -> OutboxEntry | None:
    """Returns the update that is to be sent next to a channel."""
    entry: OutboxEntry | None = session.scalar(*_most_urgent(channel_id, now))
    return entry


@built_once
def _most_urgent(channel_id: int, now: datetime) -> Select[OutboxEntry]:
    return _sendable(channel_id, now).limit(1)


def entries_alike(
    session: Session, first: OutboxEntry, now: datetime, most: int, *, by_sheet: bool
) -> list[OutboxEntry]:
    """Returns the updates that may be sent together with one, including it, the most urgent first.
    For an update that was handed in `by_sheet` these are the ones that were handed in with it,
    because their reply is looked up together.
    """
    if not by_sheet:
        return list(session.scalars(*_on_topic(first.channel_id, now, first.topic, most)))
    together = _sendable(first.channel_id, now).where(OutboxEntry.topic == first.topic)
    alike = OutboxEntry.sheet == first.sheet if first.unsure else OutboxEntry.unsure.is_(False)
    return list(session.scalars(together.where(alike).limit(most)))


@built_once
def _on_topic(channel_id: int, now: datetime, topic: str, most: int) -> Select[OutboxEntry]:
    return _sendable(channel_id, now).where(OutboxEntry.topic == topic).limit(most)


def _sendable(channel_id: int, now: datetime) -> Select[OutboxEntry]:
    return (
        select(OutboxEntry)
        .where(
            OutboxEntry.channel_id == channel_id,
            OutboxEntry.state == UpdateState.WAITING,
            OutboxEntry.due_at <= now,
        )
        .where(~_is_to_follow(now))
        .order_by(OutboxEntry.urgency, OutboxEntry.due_at, OutboxEntry.id)
    )


def _is_to_follow(now: datetime) -> ColumnElement[bool]:
    """Returns the condition that an earlier update on the same topic has no answer yet. If both
    were under way, they could be taken in the wrong order, and the older number would stay. A reply
    sheet that does not come for long is no longer waited for.
    """
    before = aliased(OutboxEntry)
    return (
        select(before.id)
        .where(
            before.channel_id == OutboxEntry.channel_id,
            before.subject == OutboxEntry.subject,
            before.topic == OutboxEntry.topic,
            before.state.in_(
                [literal_column("'sending'"), literal_column("'handed in'")]
            ),  # as the index has it
            or_(before.state == UpdateState.SENDING, before.taken_until > now),
        )
        .exists()
    )


@dataclass(frozen=True)
class HandedIn:
    """Updates that were handed in together, with their worker, the end of its lease, and the number
    of the sheet.
    """

    worker: str
    number: str
    due_at: datetime
    until: datetime


def keep_handed_in(session: Session, entry_ids: Collection[int], sheet: HandedIn) -> None:
    """Records that a worker has handed updates in, as far as they are still its own."""
    ours = (
        among(OutboxEntry.id, entry_ids),
        OutboxEntry.state == UpdateState.SENDING,
        OutboxEntry.taken_by == sheet.worker,
    )
    values = {
        "state": UpdateState.HANDED_IN,
        "sheet": sheet.number,
        "due_at": sheet.due_at,
        "taken_by": "",
        "taken_until": sheet.until,
    }
    statement = update(OutboxEntry).where(*ours).values(values)
    session.execute(statement.execution_options(synchronize_session=False))


def next_sheet(session: Session, channel_id: int) -> tuple[str, datetime] | None:
    """Returns (number, due) of the reply sheet of a channel that has waited longest, or None when
    nothing is handed in.
    """
    row = bare_rows(session, *_longest_handed_in(channel_id)).first()
    return None if row is None else (row[0], row[1])


@built_once
def _longest_handed_in(channel_id: int) -> Select[str, datetime]:
    statement = select(OutboxEntry.sheet, OutboxEntry.due_at).where(
        OutboxEntry.channel_id == channel_id, OutboxEntry.state == UpdateState.HANDED_IN
    )
    return statement.order_by(OutboxEntry.due_at, OutboxEntry.id).limit(1)


def entries_on_sheet(session: Session, channel_id: int, number: str) -> list[OutboxEntry]:
    """Returns the updates that were handed in under a number and have no answer yet."""
    return list(session.scalars(select(OutboxEntry).where(*_on_sheet(channel_id, number))))


def put_off_sheet(session: Session, channel_id: int, number: str, due_at: datetime) -> None:
    """Sets the moment at which a reply sheet is asked for again."""
    session.execute(update(OutboxEntry).where(*_on_sheet(channel_id, number)).values(due_at=due_at))


def _on_sheet(channel_id: int, number: str) -> tuple[ColumnElement[bool], ...]:
    return (
        OutboxEntry.channel_id == channel_id,
        OutboxEntry.sheet == number,
        OutboxEntry.state == UpdateState.HANDED_IN,
    )


def waiting_of_listings(session: Session, listing_ids: Collection[int]) -> list[OutboxEntry]:
    """Returns the waiting updates about listings."""
    statement = select(OutboxEntry).where(
        among(OutboxEntry.listing_id, listing_ids), OutboxEntry.state == UpdateState.WAITING
    )
    return list(session.scalars(statement))


@dataclass
class OpenUpdate:
    """An update that waits or is being sent, without the object layer: what a newer one on the same
    topic changes of it."""

    id: int
    channel_id: int
    subject: UpdateSubject
    topic: str
    state: str
    listing_id: int | None
    urgency: int
    payload: dict[str, Any]
    job_row_id: int | None
    caused_at: datetime | None


_COLUMNS = OutboxEntry.__table__.c
OPEN_UPDATE = select(*(_COLUMNS[field.name] for field in fields(OpenUpdate)))
RENEWED = ("urgency", "payload", "job_row_id", "caused_at")


def waiting_about(
    session: Session, channel_ids: Collection[int], subjects: Sequence[UpdateSubject]
) -> Mapping[tuple[int, UpdateSubject, str], OpenUpdate]:
    """Returns the waiting updates about some subjects, by (channel, subject, topic)."""
    found: dict[tuple[int, UpdateSubject, str], OpenUpdate] = {}
    for start in range(0, len(subjects), AT_A_TIME):
        named = [str(subject) for subject in subjects[start : start + AT_A_TIME]]
        for row in bare_rows(session, *_waiting_about(channel_ids, named)):
            one = OpenUpdate(*row)
            found[one.channel_id, one.subject, one.topic] = one
    return found


@built_once
def _waiting_about(
    channel_ids: Collection[int], subjects: Collection[str]
) -> Select[*tuple[Any, ...]]:
    return OPEN_UPDATE.where(
        _COLUMNS.state == UpdateState.WAITING,
        among(_COLUMNS.channel_id, channel_ids),
        among(type_coerce(_COLUMNS.subject, Text), subjects),
    )


def open_updates(session: Session, listing_ids: Collection[int]) -> list[OpenUpdate]:
    """Returns the updates of listings that wait or are being sent. The query asks for updates
    without an end and not for their state, because SQLite would expect few waiting ones where there
    may be very many.
    """
    return [OpenUpdate(*row) for row in bare_rows(session, *_updates_without_end(listing_ids))]


@built_once
def _updates_without_end(listing_ids: Collection[int]) -> Select[*tuple[Any, ...]]:
    return OPEN_UPDATE.where(among(_COLUMNS.listing_id, listing_ids), _COLUMNS.ended_at.is_(None))


def save_renewed(session: Session, entries: Sequence[OpenUpdate]) -> None:
    """Saves what newer updates have changed of waiting ones."""
    columns = {name: [getattr(one, name) for one in entries] for name in RENEWED}
    ids = [one.id for one in entries]
    update_columns(session, OutboxEntry, columns, ids)
    read_anew(session, OutboxEntry, ids)


def newer_waiting(session: Session, entry: OutboxEntry) -> OutboxEntry | None:
    """Returns the update that waits about the same subject and topic as one that was under way, or
    None.
    """
    return session.scalar(
        select(OutboxEntry).where(
            OutboxEntry.channel_id == entry.channel_id,
            OutboxEntry.subject == entry.subject,
            OutboxEntry.topic == entry.topic,
            OutboxEntry.state == UpdateState.WAITING,
        )
    )
