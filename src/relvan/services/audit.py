"""The audit trail: who changed what and when, written in the same transaction as the change."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import insert
from sqlalchemy.orm import Session

from relvan.services.workplace import Actor
from relvan.store.tables import AuditEntry

Changes = Mapping[str, tuple[Any, Any]]


def record(
    session: Session,
    actor: Actor,
    now: datetime,
    kind: str,
    subject_id: int,
    deed: str,
    changes: Changes | None = None,
) -> None:
    """Write one entry; `changes` maps a field to (old, new)."""
    record_many(session, actor, now, kind, [(subject_id, deed, changes or {})])


def record_many(
    session: Session,
    actor: Actor,
    now: datetime,
    kind: str,
    entries: Sequence[tuple[int | None, str, Changes]],
    *,
    job_id: int | None = None,
) -> None:
    """Write an entry for each (subject, deed, changes); `job_id` names the bulk job by which they were made."""
    if not entries:
        return
    same = {"at": now, "person_id": actor.person_id, "via": actor.via, "subject_kind": kind, "job_id": job_id}
    values = [
        {**same, "subject_id": subject_id, "deed": deed, "changes": {name: list(pair) for name, pair in told.items()}}
        for subject_id, deed, told in entries
    ]
    session.execute(insert(AuditEntry.__table__), values)  # type: ignore[arg-type]
