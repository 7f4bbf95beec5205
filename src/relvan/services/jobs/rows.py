"""Bulk jobs: rows with verdicts, counted as they come in; ended when every row has one."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import func, insert, select, update
from sqlalchemy.orm import Session

from relvan.services.workplace import Actor, Workplace
from relvan.store.among import among
from relvan.store.tables import BulkJob, BulkJobRow


@dataclass(frozen=True)
class NewRow:
    """A row to be: which thing, and a verdict when there is one already ("done" or "refused", with its reason)."""

    subject: str
    listing_id: int | None = None
    verdict: str = "waiting"
    reason: str = ""


def open_job(
    session: Session, workplace: Workplace, actor: Actor, kind: str, title: str, rows: Sequence[NewRow]
) -> tuple[BulkJob, list[int]]:
    """Open a bulk job; with it the ids of its rows, in order."""
    job = BulkJob(
        kind=kind,
        title=title,
        total=len(rows),
        done=sum(row.verdict == "done" for row in rows),
        refused=sum(row.verdict == "refused" for row in rows),
        person_id=actor.person_id,
        created_at=workplace.now(),
    )
    session.add(job)
    session.flush()
    values = [
        {
            "job_id": job.id,
            "position": position,
            "subject": row.subject,
            "listing_id": row.listing_id,
            "verdict": row.verdict,
            "reason": row.reason,
        }
        for position, row in enumerate(rows, 1)
    ]
    ids = list(session.scalars(insert(BulkJobRow).returning(BulkJobRow.id, sort_by_parameter_order=True), values))
    _end_if_complete(workplace, job)
    return job, ids


def rows_by_id(session: Session, row_ids: Sequence[int]) -> list[BulkJobRow]:
    """Rows by their ids in one query; as long as they are held, settling each of them asks for nothing."""
    return list(session.scalars(select(BulkJobRow).where(among(BulkJobRow.id, row_ids))))


def settle_row(session: Session, workplace: Workplace, row_id: int | None, *, ok: bool, reason: str = "") -> None:
    """Give a waiting row its verdict; one that has it keeps it."""
    if row_id is None:
        return
    row = session.get_one(BulkJobRow, row_id)
    if row.verdict != "waiting":
        return
    row.verdict, row.reason = ("done" if ok else "refused"), reason
    job = session.get_one(BulkJob, row.job_id)
    job.done += ok
    job.refused += not ok
    _end_if_complete(workplace, job)


def settle_done(session: Session, workplace: Workplace, row_ids: Sequence[int]) -> None:
    """Give rows that still wait the verdict *done*, all with a few statements."""
    waiting = (among(BulkJobRow.id, row_ids), BulkJobRow.verdict == "waiting")
    session.flush()
    counts = session.execute(select(BulkJobRow.job_id, func.count()).where(*waiting).group_by(BulkJobRow.job_id)).all()
    if not counts:
        return
    session.execute(
        update(BulkJobRow).where(*waiting).values(verdict="done").execution_options(synchronize_session=False)
    )
    for job_id, count in counts:
        job = session.get_one(BulkJob, job_id)
        job.done += count
        _end_if_complete(workplace, job)


def waiting_rows(session: Session, listing_ids: Sequence[int]) -> dict[int, int]:
    """The latest row that waits for each of some listings, by listing."""
    statement = select(BulkJobRow.listing_id, BulkJobRow.id).where(
        among(BulkJobRow.listing_id, listing_ids), BulkJobRow.verdict == "waiting"
    )
    rows = session.execute(statement.order_by(BulkJobRow.id)).all()
    return {listing_id: row for listing_id, row in rows if listing_id is not None}


def settle_rows_of(session: Session, workplace: Workplace, listing_id: int, *, ok: bool, reason: str = "") -> None:
    """Give every waiting row about a listing its verdict."""
    statement = select(BulkJobRow.id).where(BulkJobRow.listing_id == listing_id, BulkJobRow.verdict == "waiting")
    for row_id in session.scalars(statement).all():
        settle_row(session, workplace, row_id, ok=ok, reason=reason)


def _end_if_complete(workplace: Workplace, job: BulkJob) -> None:
    if job.done + job.refused >= job.total:
        job.state, job.ended_at = "ended", workplace.now()
