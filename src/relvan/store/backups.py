"""Queries over the plan of backups and what became of each."""

from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from relvan.core.setup.backups import BackupPlan
from relvan.store.setup import THE_FIRM
from relvan.store.tables import BackupRun, FirmRow, Person

MOST_SHOWN = 60


def plan_of(session: Session) -> BackupPlan:
    """Returns the plan of backups; the usual one while nobody has changed it."""
    row = session.get(FirmRow, THE_FIRM)
    return BackupPlan(**row.backups) if row else BackupPlan()


def keep_plan(session: Session, plan: dict[str, Any]) -> None:
    """Saves the plan. The firm must be there."""
    session.get_one(FirmRow, THE_FIRM).backups = plan


def backup_runs(session: Session) -> list[BackupRun]:
    """Returns the last backups, the newest first."""
    newest = select(BackupRun).order_by(BackupRun.id.desc()).limit(MOST_SHOWN)
    return list(session.scalars(newest))


def kept_backups(session: Session) -> list[BackupRun]:
    """Returns the backups whose files are kept, the newest first."""
    kept = select(BackupRun).where(BackupRun.trouble == "", BackupRun.gone.is_(False))
    return list(session.scalars(kept.order_by(BackupRun.id.desc())))


def backup_by_id(session: Session, backup_id: int) -> BackupRun | None:
    """Returns a backup by its id."""
    return session.get(BackupRun, backup_id)


def last_made(session: Session) -> datetime | None:
    """Returns when the last backup was made."""
    return session.scalar(select(func.max(BackupRun.made_at)).where(BackupRun.trouble == ""))


def last_tried(session: Session) -> datetime | None:
    """Returns when a backup was last opened and checked."""
    return session.scalar(select(func.max(BackupRun.tried_at)))


def first_day(session: Session) -> datetime | None:
    """Returns when the first person came; None while nobody works here."""
    return session.scalar(select(func.min(Person.created_at)))
