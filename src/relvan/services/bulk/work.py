"""Carries out bulk jobs for the worker: rehearse, apply and undo, in short transactions.

The rows of each chunk are carried out and get their verdicts in one transaction. So a job that was
killed at any moment goes on where it stopped, and no row is applied twice.
"""

import logging
import secrets
from collections.abc import Callable, Sequence
from typing import Any

from relvan.core.catalogue.facts import Facts, with_facts
from relvan.core.catalogue.identity import sku_key
from relvan.core.imports.columns import FileKind
from relvan.core.jobs.life import TO_APPLY, JobState, JobVerdict, later_touched, moved_on
from relvan.core.refusal import Refused
from relvan.gateways.calling import OutsideTrouble
from relvan.services.bulk.effects import note_price_effects
from relvan.services.bulk.listing_deeds import apply_deeds, rehearse_deeds
from relvan.services.bulk.order_files import apply_some_orders, undo_some_orders
from relvan.services.bulk.spoken import SPOKEN, apply_spoken, rehearse_spoken
from relvan.services.catalogue.bulk import rehearse_change
from relvan.services.catalogue.plain import write_plain, write_plain_rows
from relvan.services.catalogue.write import make_wishes, write_wishes
from relvan.services.imports.counts import apply_counts
from relvan.services.imports.rehearse import RehearseOthers, failed_rehearsal, rehearse_import
from relvan.services.imports.special import apply_picture, undo_alone
from relvan.services.jobs.life import MOVE_IN, actor_of, end_job, find_job
from relvan.services.listings.findings import read_some_findings
from relvan.services.listings.later import work_out_some
from relvan.services.listings.publish import MOST_AT_ONCE
from relvan.services.move_in.apply import apply_move
from relvan.services.move_in.in_step import IN_STEP, keep_some_in_step
from relvan.services.move_in.propose import read_and_propose
from relvan.services.move_in.undo import undo_move
from relvan.services.orders.by_file import rehearse_orders
from relvan.services.uncollected import uncollected
from relvan.services.workplace import Actor, Workplace
from relvan.store.blocks import Kept, next_block, settle_block
from relvan.store.facts import codes, facts_by_id
from relvan.store.imports import next_working_job
from relvan.store.job_rows import (
    ChangeRow,
    NewRow,
    add_rows,
    count_verdicts,
    next_changes,
    settle_alone,
    settle_rows,
)
from relvan.store.jobs import update_job
from relvan.store.session import Session
from relvan.store.tables import BulkJob, BulkJobRow

log = logging.getLogger("relvan.jobs")
CHUNK = 500
PLAIN = 2_000  # of rows that say plain facts so many take no longer
SPOKEN_AT_ONCE = 100
COUNTED = 50  # each of these asks for its bin, so that fewer make a short transaction
ALONE = (FileKind.COUNTS, FileKind.PICTURES)


def work_next(workplace: Workplace, *, stopped: Callable[[], bool] = lambda: False) -> bool:
    """Carries out the oldest job that waits until it rests. Returns whether there was one."""
    with workplace.database.reading() as session:
        job_id = next_working_job(session)
        if job_id is None:
            return False
        job = find_job(session, job_id)
    try:
        _work_on(workplace, job, stopped)
    except Refused as refused:
        failed_rehearsal(workplace, job_id, refused)
    except Exception as error:  # a fault of ours must neither stop the worker nor be tried for ever
        reference = secrets.token_hex(4)
        told = {"job": job_id, "reference": reference}
        log.error("A bulk job broke", extra=told, exc_info=error)
        with workplace.database.writing() as session:
            trouble = f"Something broke on our side. Reference {reference}."
            update_job(session, job_id, {"state": JobState.FAILED, "trouble": trouble})
    return True


# kinds of jobs that are no rows to be rehearsed, applied and taken back, but one long piece of work
WHOLE = {
    "work out": work_out_some,
    "findings": read_some_findings,
    IN_STEP: keep_some_in_step,
}
# moving in, by the state of the job
MOVES: dict[str, Callable[..., None]] = {
    JobState.READING: read_and_propose,
    JobState.APPLYING: apply_move,
    JobState.UNDOING: undo_move,
}


# how files of listings are rehearsed, by the key of their kind
REHEARSALS: dict[str, RehearseOthers] = {
    FileKind.LISTINGS: rehearse_spoken,
    FileKind.LAYERS: rehearse_spoken,
    FileKind.DEEDS: rehearse_deeds,
    FileKind.ORDERS: rehearse_orders,
}


def _work_on(workplace: Workplace, job: BulkJob, stopped: Callable[[], bool]) -> None:
    if job.kind in WHOLE:
        WHOLE[job.kind](workplace, job.id, stopped=stopped)
    elif job.kind == MOVE_IN:
        MOVES[job.state](workplace, job.id, stopped=stopped)
    elif job.state == JobState.READING:
        with uncollected():
            if job.kind == "import":
                rehearse_import(workplace, job.id, REHEARSALS)
            else:
                rehearse_change(workplace, job.id, follow=note_price_effects)
    elif job.state == JobState.APPLYING:
        _apply(workplace, job, stopped)
    else:
        _undo(workplace, job, stopped)


def _apply(workplace: Workplace, job: BulkJob, stopped: Callable[[], bool]) -> None:
    steps = {
        FileKind.COUNTS: _apply_some_counts,
        FileKind.PICTURES: _apply_one,
        FileKind.LISTINGS: _apply_spoken,
        FileKind.LAYERS: _apply_spoken,
        FileKind.DEEDS: _apply_deeds,
        FileKind.ORDERS: apply_some_orders,
    }
    step = steps.get(job.spec.get("kind", ""), _apply_chunk)
    while not stopped():
        if not step(workplace, job):
            _finish(workplace, job.id)
            return


def _finish(workplace: Workplace, job_id: int) -> None:
    with workplace.database.writing() as session:
        counts = count_verdicts(session, job_id)
        done = (
            counts.get(JobVerdict.UNDONE, 0)
            if find_job(session, job_id).state == JobState.UNDOING
            else counts.get(JobVerdict.DONE, 0)
        )
        end_job(
            session, workplace, job_id, "end", done=done, refused=counts.get(JobVerdict.REFUSED, 0)
        )


def _via(job: BulkJob) -> str:
    return "import" if job.kind == "import" else "bulk job"


def _at_once(job: BulkJob) -> int:
    return PLAIN if job.spec.get("plain") else CHUNK


def _apply_chunk(workplace: Workplace, job: BulkJob) -> bool:
    """Carries out the next rows in one transaction. Returns whether there were any."""
    with uncollected():
        return _chunk(workplace, job, undo=False)


def _chunk(workplace: Workplace, job: BulkJob, *, undo: bool) -> bool:
    with workplace.database.writing(hurried=True) as session:
        verdicts = [JobVerdict.DONE] if undo else TO_APPLY
        actor = actor_of(session, job, "undo" if undo else _via(job))
        if (block := next_block(session, job.id, verdicts, backwards=undo)) is not None:
            done = _write_block(session, workplace, actor, job, block, undo=undo)
        elif rows := next_changes(session, job.id, verdicts, _at_once(job), backwards=undo):
            done = _write(session, workplace, actor, job, rows, undo=undo)
        else:
            return False
        find_job(session, job.id).done += done
    return True


def _write_block(
    session: Session, workplace: Workplace, actor: Actor, job: BulkJob, block: Kept, *, undo: bool
) -> int:
    """Writes a block of rows, or undoes it. Rows that are not surely right become rows by
    themselves."""
    rows = block.rows
    written: Sequence[int] = []
    if not (undo and rows.making):
        turned = rows.turned() if undo else rows
        written = write_plain_rows(session, workplace, actor, turned, job_id=job.id)
    left = rows.without(written)
    own = [
        NewRow(rows.positions[at], rows.subjects[at], block.verdict, "", rows.change(at))
        for at in left
    ]
    add_rows(session, job.id, own)
    settle_block(session, block, JobVerdict.UNDONE if undo else JobVerdict.DONE, left)
    return len(written)


def _write(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    job: BulkJob,
    rows: Sequence[ChangeRow],
    *,
    undo: bool,
) -> int:
    """Writes the changes of some rows, or undoes them, where nobody has changed the same facts
    since."""
    turned = [row.turned() for row in rows] if undo else rows
    plain = set(write_plain(session, workplace, actor, turned, job_id=job.id))
    verdict = JobVerdict.UNDONE if undo else JobVerdict.DONE
    if job.spec.get("plain"):  # then each row is a thing of its own
        settled = settle_alone(session, plain, verdict)
    else:
        settled = settle_rows(
            session, job.id, [row.position for row in rows if row.id in plain], verdict
        )
    others = [row for row in rows if row.id not in plain][:CHUNK]
    return (
        settled + _write_each(session, workplace, actor, job, others, undo=undo)
        if others
        else settled
    )


def _write_each(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    job: BulkJob,
    rows: Sequence[ChangeRow],
    *,
    undo: bool,
) -> int:
    """Does the same for rows that are looked at one by one."""
    known = codes(session, [row.subject for row in rows])
    ids = {row.id: known[sku_key(row.subject)][0] for row in rows if sku_key(row.subject) in known}
    old = facts_by_id(session, set(ids.values()))
    wanted: list[tuple[int | None, Facts]] = []
    trying: list[ChangeRow] = []
    refused: list[tuple[ChangeRow, str]] = []
    for row in rows:
        now = old.get(ids.get(row.id, 0), {})
        change = row.change
        made = change.get("sku", [0, 0])[0] is None
        touched = later_touched(change, now, undo=undo)
        if made and not undo and row.id in ids:
            refused.append((row, f"“{row.subject}” has been made by somebody else meanwhile."))
        elif touched and not (made and undo):
            refused.append((row, moved_on(touched, now).message))
        elif made and undo:
            wanted.append((ids[row.id], with_facts(now, {"archived": True})))
            trying.append(row)
        else:
            new = with_facts(now, {name: pair[0 if undo else 1] for name, pair in change.items()})
            wanted.append((ids.get(row.id), new))
            trying.append(row)
    wishes = make_wishes(session, wanted, old=old)
    write_wishes(session, workplace, actor, wishes, job_id=job.id)
    for row, wish in zip(trying, wishes, strict=True):
        if wish.refusals:
            refused.append((row, f"{wish.refusals[0].message} {wish.refusals[0].fix}".strip()))
    broken = {row.id for row, _ in refused}
    fine = [row.position for row in trying if row.id not in broken]
    done = settle_rows(session, job.id, fine, JobVerdict.UNDONE if undo else JobVerdict.DONE)
    for row, reason in refused:
        settle_rows(
            session,
            job.id,
            [row.position],
            JobVerdict.NOT_UNDONE if undo else JobVerdict.REFUSED,
            reason[:400],
        )
    return done


def _apply_some_counts(workplace: Workplace, job: BulkJob) -> bool:
    """Carries out the next rows of counts, with their verdicts in the same transaction."""
    with workplace.database.writing() as session:
        rows = next_changes(session, job.id, TO_APPLY, COUNTED)
        if not rows:
            return False
        reasons = apply_counts(session, workplace, actor_of(session, job, _via(job)), rows)
        done = settle_rows(
            session, job.id, [row.position for row in rows if row.position not in reasons], "done"
        )
        for position, reason in reasons.items():
            settle_rows(session, job.id, [position], JobVerdict.REFUSED, reason[:400])
        find_job(session, job.id).done += done
    return True


def _apply_one(workplace: Workplace, job: BulkJob) -> bool:
    """Carries out the next picture; it is fetched outside the transaction."""
    with workplace.database.reading() as session:
        rows = next_changes(session, job.id, TO_APPLY, 1)
        if not rows:
            return False
        actor = actor_of(session, job, _via(job))
    row = rows[0]
    verdict, reason, more = "done", "", None
    try:
        more = apply_picture(workplace, actor, row)
    except Refused as refused:
        verdict, reason = JobVerdict.REFUSED, f"{refused.first.message} {refused.first.fix}".strip()
    except OutsideTrouble as trouble:
        verdict, reason = JobVerdict.REFUSED, f"{trouble}. Rehearse and apply it again later."
    _settle_one(workplace, job, row, verdict, reason, more)
    return True


def _apply_spoken(workplace: Workplace, job: BulkJob) -> bool:
    return _say_some(workplace, job, TO_APPLY, undo=False)


def _apply_deeds(workplace: Workplace, job: BulkJob) -> bool:
    """Carries out all rows of a file at once, because families are published as one. What was begun
    before an interruption is recognised."""
    with workplace.database.reading() as session:
        rows = next_changes(session, job.id, TO_APPLY, MOST_AT_ONCE)
        if not rows:
            return False
        actor = actor_of(session, job, _via(job))
    results = apply_deeds(workplace, actor, rows)
    with workplace.database.writing() as session:
        kept = find_job(session, job.id)
        for position, (begun, reason) in results.items():
            settle_rows(
                session,
                job.id,
                [position],
                JobVerdict.DONE if begun else JobVerdict.REFUSED,
                reason[:400],
            )
            kept.done += begun
    return True


def _undo_spoken(workplace: Workplace, job: BulkJob) -> bool:
    return _say_some(workplace, job, ["done"], undo=True)


def _say_some(workplace: Workplace, job: BulkJob, verdicts: Sequence[str], *, undo: bool) -> bool:
    """Writes the next fields of listings or layers. What was written before an interruption is
    recognised and not written twice."""
    with workplace.database.reading() as session:
        rows = next_changes(session, job.id, verdicts, SPOKEN_AT_ONCE, backwards=undo)
        if not rows:
            return False
        actor = actor_of(session, job, "undo" if undo else _via(job))
    reasons = apply_spoken(workplace, actor, job.spec["kind"], rows, undo=undo)
    fine = [row.position for row in rows if row.position not in reasons]
    with workplace.database.writing() as session:
        find_job(session, job.id).done += settle_rows(
            session, job.id, fine, JobVerdict.UNDONE if undo else JobVerdict.DONE
        )
        for position, reason in reasons.items():
            settle_rows(
                session,
                job.id,
                [position],
                JobVerdict.NOT_UNDONE if undo else JobVerdict.REFUSED,
                reason[:400],
            )
    return True


def _settle_one(
    workplace: Workplace,
    job: BulkJob,
    row: ChangeRow,
    verdict: str,
    reason: str,
    more: dict[str, Any] | None,
) -> None:
    with workplace.database.writing() as session:
        settle_rows(session, job.id, [row.position], verdict, reason[:400])
        if more:
            kept = session.get_one(BulkJobRow, row.id)
            kept.change = {**row.change, **more}
        find_job(session, job.id).done += verdict in (JobVerdict.DONE, JobVerdict.UNDONE)


def _undo(workplace: Workplace, job: BulkJob, stopped: Callable[[], bool]) -> None:
    kind = job.spec.get("kind")
    if kind == FileKind.ORDERS:
        step = undo_some_orders
    else:
        step = _undo_spoken if kind in SPOKEN else _undo_one if kind in ALONE else _undo_chunk
    while not stopped():
        if not step(workplace, job):
            _finish(workplace, job.id)
            return


def _undo_chunk(workplace: Workplace, job: BulkJob) -> bool:
    with uncollected():
        return _chunk(workplace, job, undo=True)


def _undo_one(workplace: Workplace, job: BulkJob) -> bool:
    with workplace.database.reading() as session:
        rows = next_changes(session, job.id, ["done"], 1, backwards=True)
        if not rows:
            return False
        actor = actor_of(session, job, "undo")
    verdict, reason = JobVerdict.UNDONE, ""
    try:
        undo_alone(workplace, actor, job.spec["kind"], rows[0])
    except Refused as refused:
        verdict, reason = (
            JobVerdict.NOT_UNDONE,
            f"{refused.first.message} {refused.first.fix}".strip(),
        )
    _settle_one(workplace, job, rows[0], verdict, reason, None)
    return True
