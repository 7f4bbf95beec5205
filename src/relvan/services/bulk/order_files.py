"""Takes and undoes orders of a file, some of them in each transaction, with their verdicts."""

from collections.abc import Sequence

from relvan.core.imports.things import Options
from relvan.core.jobs.life import TO_APPLY, JobVerdict
from relvan.services.jobs.life import actor_of, find_job
from relvan.services.orders.file_orders import take_filed_orders, undo_filed_orders
from relvan.services.workplace import Workplace
from relvan.store.job_rows import job_rows_by_id, next_changes, settle_rows
from relvan.store.session import Session
from relvan.store.tables import BulkJob, BulkJobRow

AT_ONCE = 200
MOST_REASON = 400


def apply_some_orders(workplace: Workplace, job: BulkJob) -> bool:
    """Takes the next orders of a job. Returns whether there were any."""
    with workplace.database.writing(hurried=True) as session:
        rows = _next_rows(session, job, TO_APPLY)
        if not rows:
            return False
        options = Options(**job.spec["options"])
        actor = actor_of(session, job, "import")
        reasons = take_filed_orders(session, workplace, actor, rows, options)
        _settle(session, job, rows, reasons, JobVerdict.DONE, JobVerdict.REFUSED)
    return True


def undo_some_orders(workplace: Workplace, job: BulkJob) -> bool:
    """Undoes the next orders of a job. Returns whether there were any."""
    with workplace.database.writing(hurried=True) as session:
        rows = _next_rows(session, job, [JobVerdict.DONE], backwards=True)
        if not rows:
            return False
        reasons = undo_filed_orders(session, workplace, actor_of(session, job, "undo"), rows)
        _settle(session, job, rows, reasons, JobVerdict.UNDONE, JobVerdict.NOT_UNDONE)
    return True


def _next_rows(
    session: Session, job: BulkJob, verdicts: Sequence[str], *, backwards: bool = False
) -> list[BulkJobRow]:
    changes = next_changes(session, job.id, verdicts, AT_ONCE, backwards=backwards)
    found = {row.id: row for row in job_rows_by_id(session, [change.id for change in changes])}
    return [found[change.id] for change in changes]


def _settle(
    session: Session,
    job: BulkJob,
    rows: Sequence[BulkJobRow],
    reasons: dict[int, str],
    fine: JobVerdict,
    not_fine: JobVerdict,
) -> None:
    session.flush()
    positions = [row.position for row in rows if row.position not in reasons]
    find_job(session, job.id).done += settle_rows(session, job.id, positions, fine)
    for position, reason in reasons.items():
        settle_rows(session, job.id, [position], not_fine, reason[:MOST_REASON])
