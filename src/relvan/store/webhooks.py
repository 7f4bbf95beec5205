"""Queries over webhooks and the messages that they are still to be sent."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import case, delete, func, select
from sqlalchemy.orm import Session

from relvan.core.refusal import not_found
from relvan.core.webhooks.announcing import AnnouncementState
from relvan.store.among import among
from relvan.store.built import bare_rows
from relvan.store.bulk import insert_rows
from relvan.store.kept import kept
from relvan.store.rows import rows_as
from relvan.store.tables import Announcement, Webhook

ACTIVE = select(Webhook.id, Webhook.matters).where(Webhook.active.is_(True))


@dataclass(frozen=True)
class WebhookRow:
    """A webhook in a list, with how many messages wait, and since when."""

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


def find_webhook(session: Session, webhook_id: int) -> Webhook:
    """Returns a webhook by its id."""
    found = session.get(Webhook, webhook_id)
    if found is None:
        raise not_found("webhook", webhook_id)
    return found


def webhook_rows(session: Session) -> list[WebhookRow]:
    """Returns all webhooks, the first created first."""
    waits = Announcement.state != AnnouncementState.ENDED
    statement = (
        select(
            Webhook.id,
            Webhook.name,
            Webhook.address,
            Webhook.matters,
            Webhook.active,
            Webhook.failures,
            Webhook.trouble,
            Webhook.heard_at,
            func.count(case((waits, Announcement.id))),
            func.min(case((waits, Announcement.made_at))),
        )
        .outerjoin(Announcement, Announcement.webhook_id == Webhook.id)
        .group_by(Webhook.id)
        .order_by(Webhook.id)
    )
    return rows_as(WebhookRow, session, statement)


def listening(session: Session, matter: str) -> list[int]:
    """Returns the ids of the webhooks that are told of a matter."""
    return [webhook_id for webhook_id, matters in _active(session) if matter in matters]


@kept
def _active(session: Session) -> Sequence[tuple[int, Sequence[str]]]:
    return [(webhook_id, matters) for webhook_id, matters in bare_rows(session, ACTIVE)]


def waiting_subjects(
    session: Session, webhook_id: int, matter: str, subjects: Collection[str]
) -> set[str]:
    """Returns which of these subjects a webhook is to be told of already."""
    waiting = select(Announcement.subject).where(
        Announcement.webhook_id == webhook_id,
        Announcement.matter == matter,
        Announcement.state == AnnouncementState.WAITING,
    )
    return set(session.scalars(waiting.where(among(Announcement.subject, subjects))))


def add_announcements(session: Session, rows: Sequence[tuple[Any, ...]]) -> None:
    """Adds messages, each as (webhook, matter, subject, key, moment)."""
    insert_rows(session, Announcement, ("webhook_id", "matter", "subject", "key", "made_at"), rows)


def due_webhooks(session: Session, now: datetime) -> list[int]:
    """Returns the ids of webhooks that may be sent something now."""
    due = select(Announcement.id).where(
        Announcement.webhook_id == Webhook.id, Announcement.state != AnnouncementState.ENDED
    )
    rests = Webhook.rests_until.is_not(None) & (Webhook.rests_until > now)
    return list(
        session.scalars(select(Webhook.id).where(Webhook.active.is_(True), ~rests, due.exists()))
    )


def next_announcements(
    session: Session, webhook_id: int, now: datetime, limit: int
) -> list[Announcement]:
    """Returns the next messages for a webhook, the oldest first, with those that a worker took and
    never finished.
    """
    lost = (Announcement.state == AnnouncementState.TAKEN) & (Announcement.taken_until < now)
    wanted = select(Announcement).where(
        Announcement.webhook_id == webhook_id,
        lost | (Announcement.state == AnnouncementState.WAITING),
    )
    return list(session.scalars(wanted.order_by(Announcement.id).limit(limit)))


def forget_announcements(session: Session, webhook_id: int, before: datetime | None = None) -> None:
    """Deletes messages that were delivered before a time; without a time, all of them."""
    gone = delete(Announcement).where(Announcement.webhook_id == webhook_id)
    if before is not None:
        gone = gone.where(
            Announcement.state == AnnouncementState.ENDED, Announcement.ended_at < before
        )
    session.execute(gone.execution_options(synchronize_session=False))


def count_webhooks(session: Session) -> int:
    """Returns how many webhooks there are."""
    return session.scalar(select(func.count()).select_from(Webhook)) or 0
