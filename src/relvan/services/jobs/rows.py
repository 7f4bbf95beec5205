"""The rows of bulk jobs with their verdicts. They are counted as they come in, and the job ends
when every row has one."""

from collections.abc import Sequence

from relvan.core.jobs.life import JobState, JobVerdict
from relvan.services.workplace import Actor, Workplace
from relvan.store.job_rows import NewRow, add_rows, mark_done, row_ids, waiting_row_ids
from relvan.store.session import Session
from relvan.store.tables import BulkJob, BulkJobRow


def open_job(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    kind: str,
    title: str,
    rows: Sequence[NewRow],
) -> tuple[BulkJob, list[int]]:
    """Opens a bulk job; returns it with the ids of its rows, in order."""
    job = BulkJob(
        kind=kind,
        title=title,
        total=len(rows),
        done=sum(row.verdict == "done" for row in rows),
        refused=sum(row.verdict == JobVerdict.REFUSED for row in rows),
        person_id=actor.person_id,
        created_at=workplace.now(),
    )
    session.add(job)
    session.flush()
    add_rows(session, job.id, rows)
    ids = row_ids(session, job.id)
    _end_if_complete(workplace, job)
    return job, ids


def settle_row(
    session: Session, workplace: Workplace, row_id: int | None, *, ok: bool, reason: str = ""
) -> None:
    """Gives a waiting row its verdict; a row that has one keeps it."""
    if row_id is None:
        return
    row = session.get_one(BulkJobRow, row_id)
    if row.verdict != JobVerdict.WAITING:
        return
    row.verdict, row.reason = (JobVerdict.DONE if ok else JobVerdict.REFUSED), reason
    job = session.get_one(BulkJob, row.job_id)
    job.done += ok
    job.refused += not ok
    _end_if_complete(workplace, job)


def settle_done(session: Session, workplace: Workplace, row_ids: Sequence[int]) -> None:
    """Gives rows that still wait the verdict *done*, with a few statements."""
    session.flush()
    for job_id, count in mark_done(session, row_ids):
        job = session.get_one(BulkJob, job_id)
        job.done += count
        _end_if_complete(workplace, job)


def settle_rows_of(
    session: Session, workplace: Workplace, listing_id: int, *, ok: bool, reason: str = ""
) -> None:
    """Gives every waiting row about a listing its verdict."""
    for row_id in waiting_row_ids(session, listing_id):
        settle_row(session, workplace, row_id, ok=ok, reason=reason)


def _end_if_complete(workplace: Workplace, job: BulkJob) -> None:
    if job.done + job.refused >= job.total:
        job.state, job.ended_at = JobState.ENDED, workplace.now()
