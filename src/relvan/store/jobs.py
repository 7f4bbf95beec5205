"""Queries over bulk jobs. Their rows are in `store/job_rows.py`."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, or_, select, update
from sqlalchemy.orm import Session

from relvan.core.jobs.life import WORKING
from relvan.store.rows import rows_as
from relvan.store.tables import BulkJob, Person

RUNNING = ("running", *WORKING)


@dataclass(frozen=True)
class JobRow:
    """A bulk job as a list shows it."""

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


def job_rows(
    session: Session,
    *,
    job_id: int | None = None,
    since: datetime | None = None,
    kind: str = "",
) -> list[JobRow]:
    """Returns bulk jobs, the newest first: one by its id, those that run or ended since a moment,
    or the last fifty, of all kinds or of one.
    """
    statement = (
        select(
            BulkJob.id,
            BulkJob.kind,
            BulkJob.title,
            BulkJob.state,
            BulkJob.total,
            BulkJob.done,
            BulkJob.refused,
            func.coalesce(Person.name, "Relvan"),
            BulkJob.created_at,
            BulkJob.ended_at,
            BulkJob.counts,
            BulkJob.trouble,
            BulkJob.spec,
        )
        .outerjoin(Person, Person.id == BulkJob.person_id)
        .order_by(BulkJob.id.desc())
        .limit(50)
    )
    if job_id is not None:
        statement = statement.where(BulkJob.id == job_id)
    if kind:
        statement = statement.where(BulkJob.kind == kind)
    if since is not None:
        statement = statement.where(or_(BulkJob.state.in_(RUNNING), BulkJob.ended_at > since))
    return rows_as(JobRow, session, statement)


def update_job(session: Session, job_id: int, values: Mapping[str, Any]) -> None:
    """Changes columns of a job in the database, whatever the session holds of the job."""
    session.execute(update(BulkJob).where(BulkJob.id == job_id).values(**values))
