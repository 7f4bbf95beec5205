"""Queries over the audit trail: what was done to one thing, and what was done in a whole
station."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from relvan.store.rows import rows_as
from relvan.store.tables import AuditEntry, Person, Product


@dataclass(frozen=True)
class HistoryRow:
    """One entry. `via` says by what means it was done (hand, api, import, bulk job, undo, channel);
    `job` is the bulk job, if there was one.
    """

    id: int
    at: datetime
    who: str
    via: str
    deed: str
    changes: dict[str, Any]
    job: int | None = None
    subject: str = ""


def _entries() -> Select[*tuple[Any, ...]]:
    return select(
        AuditEntry.id,
        AuditEntry.at,
        func.coalesce(Person.name, "Relvan"),
        AuditEntry.via,
        AuditEntry.deed,
        AuditEntry.changes,
        AuditEntry.job_id,
    ).outerjoin(Person, Person.id == AuditEntry.person_id)


def history(session: Session, kind: str, subject_id: int, limit: int = 60) -> list[HistoryRow]:
    """Returns the entries of one thing, the newest first."""
    statement = _entries().where(
        AuditEntry.subject_kind == kind, AuditEntry.subject_id == subject_id
    )
    return rows_as(HistoryRow, session, statement.order_by(AuditEntry.id.desc()).limit(limit))


@dataclass(frozen=True)
class HistoryFilter:
    """Says which entries of a station a page shows."""

    via: str = ""
    job: int | None = None
    person: int | None = None


def product_history(
    session: Session, wanted: HistoryFilter, *, after: int = 0, limit: int = 50
) -> list[HistoryRow]:
    """Returns what was done to products, the newest first, each with the SKU that the product has
    today.
    """
    statement = (
        _entries().add_columns(Product.sku).join(Product, Product.id == AuditEntry.subject_id)
    )
    statement = statement.where(AuditEntry.subject_kind == "product")
    if wanted.via:
        statement = statement.where(AuditEntry.via == wanted.via)
    if wanted.job is not None:
        statement = statement.where(AuditEntry.job_id == wanted.job)
    if wanted.person is not None:
        statement = statement.where(AuditEntry.person_id == wanted.person)
    if after:
        statement = statement.where(AuditEntry.id < after)
    return rows_as(HistoryRow, session, statement.order_by(AuditEntry.id.desc()).limit(limit))


def changes_since(session: Session, product_id: int, moment: datetime) -> list[dict[str, Any]]:
    """Returns the changes of a product after a moment, the newest first."""
    statement = select(AuditEntry.changes).where(
        AuditEntry.subject_kind == "product",
        AuditEntry.subject_id == product_id,
        AuditEntry.at > moment,
    )
    return list(session.scalars(statement.order_by(AuditEntry.id.desc())).all())


def made_at(session: Session, product_id: int) -> datetime:
    """Returns when a product was created."""
    return session.scalars(select(Product.created_at).where(Product.id == product_id)).one()


def last_change(session: Session, kind: str, subject_id: int, deed: str) -> HistoryRow | None:
    """Returns the last entry of an action on a thing, or None."""
    statement = _entries().where(
        AuditEntry.subject_kind == kind,
        AuditEntry.subject_id == subject_id,
        AuditEntry.deed == deed,
    )
    return next(
        iter(rows_as(HistoryRow, session, statement.order_by(AuditEntry.id.desc()).limit(1))), None
    )
