"""The audit trail: who changed what and when, written in the same transaction as the change."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any

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
    told = {name: list(pair) for name, pair in (changes or {}).items()}
    session.add(
        AuditEntry(
            at=now,
            person_id=actor.person_id,
            via=actor.via,
            subject_kind=kind,
            subject_id=subject_id,
            deed=deed,
            changes=told,
        )
    )
