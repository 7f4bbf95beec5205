"""Queries over bulk jobs and their rows."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from relvan.core.jobs.life import WORKING
from relvan.store.rows import rows_as
from relvan.store.tables import BulkJob, BulkJobRow, Person

RUNNING = ("running", *WORKING)


@dataclass(frozen=True)
class JobRow:
    """A bulk job in a list."""

    id: int
    kind: str
    title: str
    state: str
    total: int
    done: int
    refused: int
    who: str
    created_at: datetime
    ended_at: datetime | None
    counts: dict[str, int]
    trouble: str
    spec: dict[str, Any]


def job_rows(session: Session, *, job_id: int | None = None, since: datetime | None = None) -> list[JobRow]:
    """Bulk jobs, newest first: one, those that run or ended since a moment, or the last fifty."""
    statement = (
        select(
            BulkJob.id, BulkJob.kind, BulkJob.title, BulkJob.state, BulkJob.total, BulkJob.done, BulkJob.refused,
            func.coalesce(Person.name, "Relvan"), BulkJob.created_at, BulkJob.ended_at, BulkJob.counts,
            BulkJob.trouble, BulkJob.spec,
        )
        .outerjoin(Person, Person.id == BulkJob.person_id)
        .order_by(BulkJob.id.desc())
        .limit(50)
    )  # fmt: skip
    if job_id is not None:
        statement = statement.where(BulkJob.id == job_id)
    if since is not None:
        statement = statement.where(or_(BulkJob.state.in_(RUNNING), BulkJob.ended_at > since))
    return rows_as(JobRow, session, statement)


def job_verdicts(
    session: Session, job_id: int, *, after: int | None = None, verdict: str = "", limit: int = 200
) -> list[BulkJobRow]:
    """The rows of a bulk job in order, or those with one verdict; what rows only imply comes first."""
    statement = select(BulkJobRow).where(BulkJobRow.job_id == job_id)
    if after is not None:
        statement = statement.where(BulkJobRow.position > after)
    if verdict:
        statement = statement.where(BulkJobRow.verdict == verdict)
    return list(session.scalars(statement.order_by(BulkJobRow.position).limit(limit)).all())
