"""Queries over listeners and what they are still to be told."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import case, delete, func, select
from sqlalchemy.orm import Session

from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.bulk import insert_rows
from relvan.store.rows import rows_as
from relvan.store.tables import Announcement, Listener


@dataclass(frozen=True)
class ListenerRow:
    """A listener in a list: how many announcements wait, and since when."""

    id: int
    name: str
    address: str
    matters: list[str]
    active: bool
    failures: int
    trouble: str
    heard_at: datetime | None
    waiting: int
    oldest: datetime | None


def find_listener(session: Session, listener_id: int) -> Listener:
    """A listener by its id."""
    found = session.get(Listener, listener_id)
    if found is None:
        raise not_found("listener", listener_id)
    return found


def listener_rows(session: Session) -> list[ListenerRow]:
    """All listeners, the first made first."""
    waits = Announcement.state != "ended"
    statement = (
        select(
            Listener.id, Listener.name, Listener.address, Listener.matters, Listener.active, Listener.failures,
            Listener.trouble, Listener.heard_at, func.count(case((waits, Announcement.id))),
            func.min(case((waits, Announcement.made_at))),
        )
        .outerjoin(Announcement, Announcement.listener_id == Listener.id)
        .group_by(Listener.id)
        .order_by(Listener.id)
    )  # fmt: skip
    return rows_as(ListenerRow, session, statement)


def listening(session: Session, matter: str) -> list[int]:
    """The ids of the listeners that hear of a matter; asked for once in each session."""
    known: list[tuple[int, list[str]]] | None = session.info.get("listeners")
    if known is None:
        rows = session.execute(select(Listener.id, Listener.matters).where(Listener.active.is_(True))).all()
        known = session.info["listeners"] = [(listener_id, matters) for listener_id, matters in rows]
    return [listener_id for listener_id, matters in known if matter in matters]


def waiting_subjects(session: Session, listener_id: int, matter: str, subjects: Collection[str]) -> set[str]:
    """Which of these things a listener is to hear of already."""
    waiting = select(Announcement.subject).where(
        Announcement.listener_id == listener_id, Announcement.matter == matter, Announcement.state == "waiting"
    )
    return set(session.scalars(waiting.where(among(Announcement.subject, subjects))))


def add_announcements(session: Session, rows: Sequence[tuple[Any, ...]]) -> None:
    """Add announcements: (listener, matter, subject, key, moment) each."""
    insert_rows(session, Announcement, ("listener_id", "matter", "subject", "key", "made_at"), rows)


def due_listeners(session: Session, now: datetime) -> list[int]:
    """The ids of listeners that may be told something now."""
    due = select(Announcement.id).where(Announcement.listener_id == Listener.id, Announcement.state != "ended")
    rests = Listener.rests_until.is_not(None) & (Listener.rests_until > now)
    return list(session.scalars(select(Listener.id).where(Listener.active.is_(True), ~rests, due.exists())))


def next_announcements(session: Session, listener_id: int, now: datetime, limit: int) -> list[Announcement]:
    """What a listener is to be told next, the oldest first; with what was taken by one who never came back."""
    lost = (Announcement.state == "taken") & (Announcement.taken_until < now)
    wanted = select(Announcement).where(
        Announcement.listener_id == listener_id, lost | (Announcement.state == "waiting")
    )
    return list(session.scalars(wanted.order_by(Announcement.id).limit(limit)))


def forget_announcements(session: Session, listener_id: int, before: datetime | None = None) -> None:
    """Take away what has been told long ago; without a time everything."""
    gone = delete(Announcement).where(Announcement.listener_id == listener_id)
    if before is not None:
        gone = gone.where(Announcement.state == "ended", Announcement.ended_at < before)
    session.execute(gone.execution_options(synchronize_session=False))
