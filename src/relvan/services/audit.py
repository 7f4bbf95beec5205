"""The audit trail: who changed what and when, written in the same transaction as the change."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import insert, literal, select
from sqlalchemy.orm import Session

from relvan.services.workplace import Actor
from relvan.store.among import among
from relvan.store.bulk import insert_columns
from relvan.store.tables import AuditEntry, Product

COLUMNS = ("at", "person_id", "via", "subject_kind", "job_id", "subject_id", "deed", "changes")
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


def record_alike(
    session: Session, actor: Actor, now: datetime, kind: str, subject_ids: Sequence[int], deed: str, *, job_id: int
) -> None:
    """Write the same entry, without changes, for each of many products, by one statement."""
    same: dict[str, Any] = {
        "at": now, "person_id": actor.person_id, "via": actor.via, "subject_kind": kind, "job_id": job_id,
        "deed": deed, "changes": {},
    }  # fmt: skip
    columns = AuditEntry.__table__.c
    values = (literal(value, columns[name].type) for name, value in same.items())
    entries = select(*values, Product.id).where(among(Product.id, subject_ids)).order_by(Product.id)
    session.execute(insert(AuditEntry).from_select([*same, "subject_id"], entries))


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
    same = (now, actor.person_id, actor.via, kind, job_id)
    subjects, deeds, changes = zip(*entries, strict=True)
    values = [*([value] * len(entries) for value in same), subjects, deeds, changes]
    insert_columns(session, AuditEntry, dict(zip(COLUMNS, values, strict=True)))
