"""The audit trail: who changed what and when. It is written in the same transaction as the change."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any, NamedTuple

from relvan.services.workplace import Actor
from relvan.store.audit import insert_same_entry
from relvan.store.bulk import insert_columns
from relvan.store.session import Session
from relvan.store.tables import AuditEntry

COLUMNS = ("at", "person_id", "via", "subject_kind", "job_id", "subject_id", "deed", "changes")
Changes = Mapping[str, tuple[Any, Any]]


class Subject(NamedTuple):
    """What an entry is about: its kind, such as product or order, and its id."""

    kind: str
    id: int


def record(
    session: Session,
    actor: Actor,
    now: datetime,
    subject: Subject,
    deed: str,
    changes: Changes | None = None,
) -> None:
    """Writes one entry; `changes` maps a field to (old, new)."""
    record_many(session, actor, now, subject.kind, [(subject.id, deed, changes or {})])


def record_products(
    session: Session,
    actor: Actor,
    now: datetime,
    product_ids: Sequence[int],
    deed: str,
    *,
    job_id: int,
) -> None:
    """Writes the same entry, without changes, for each of many products, with one statement."""
    same: dict[str, Any] = {
        "at": now,
        "person_id": actor.person_id,
        "via": actor.via,
        "subject_kind": "product",
        "job_id": job_id,
        "deed": deed,
        "changes": {},
    }
    insert_same_entry(session, same, product_ids)


def record_many(
    session: Session,
    actor: Actor,
    now: datetime,
    kind: str,
    entries: Sequence[tuple[int | None, str, Changes]],
    *,
    job_id: int | None = None,
) -> None:
    """Writes an entry for each (subject, action, changes); `job_id` names the bulk job that made
    them."""
    if not entries:
        return
    same = (now, actor.person_id, actor.via, kind, job_id)
    subjects, deeds, changes = zip(*entries, strict=True)
    values = [*([value] * len(entries) for value in same), subjects, deeds, changes]
    insert_columns(session, AuditEntry, dict(zip(COLUMNS, values, strict=True)))
