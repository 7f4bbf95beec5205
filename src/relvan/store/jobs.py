"""Queries over bulk jobs and their rows."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import func, insert, or_, select, update
from sqlalchemy.orm import Session

from relvan.core.catalogue.plain import PlainRows
from relvan.core.jobs.life import WORKING, JobVerdict
from relvan.store.among import among
from relvan.store.blocks import blocks_from
from relvan.store.rows import rows_as
from relvan.store.tables import BulkJob, BulkJobRow, Person

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
    session: Session, *, job_id: int | None = None, since: datetime | None = None
) -> list[JobRow]:
    """Returns bulk jobs, the newest first: one by its id, those that run or ended since a moment,
    or the last fifty.
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
    if since is not None:
        statement = statement.where(or_(BulkJob.state.in_(RUNNING), BulkJob.ended_at > since))
    return rows_as(JobRow, session, statement)


class VerdictRow(NamedTuple):
    """A row of a bulk job with its verdict; see `BulkJobRow`."""

    position: int
    subject: str
    listing_id: int | None
    verdict: str
    reason: str
    change: dict[str, Any] | None
    leader: int | None


def job_verdicts(
    session: Session, job_id: int, *, after: int | None = None, verdict: str = "", limit: int = 200
) -> list[VerdictRow]:
    """Returns the rows of a bulk job in order, or those with one verdict. Rows that follow from
    other rows come first.
    """
    row = BulkJobRow.__table__.c
    statement = select(*(row[name] for name in VerdictRow._fields)).where(row.job_id == job_id)
    if after is not None:
        statement = statement.where(row.position > after)
    if verdict:
        statement = statement.where(row.verdict == verdict)
    found = rows_as(VerdictRow, session, statement.order_by(row.position).limit(limit))
    for block in blocks_from(session, job_id, after, verdict):
        if len(found) >= limit and found[limit - 1].position < block.rows.positions[0]:
            break  # all that this and later blocks hold comes after the rows that are asked for
        rows = block.rows
        places = [
            at for at, position in enumerate(rows.positions) if after is None or position > after
        ][:limit]
        found += (
            VerdictRow(
                rows.positions[at],
                rows.subjects[at],
                None,
                block.verdict,
                "",
                _change(rows, at),
                None,
            )
            for at in places
        )
        found = sorted(found, key=lambda held: held.position)[:limit]
    return found


def _change(rows: PlainRows, place: int) -> dict[str, Any] | None:
    """Returns what a row changes, in the form in which single rows keep it."""
    change = rows.change(place)
    return None if change is None else {name: list(pair) for name, pair in sorted(change.items())}


def refused_by_listing(session: Session, job_id: int) -> dict[int, str]:
    """Returns why rows of a job were refused, by listing."""
    rows = select(BulkJobRow.listing_id, BulkJobRow.reason).where(
        BulkJobRow.job_id == job_id,
        BulkJobRow.verdict == JobVerdict.REFUSED,
        BulkJobRow.listing_id.is_not(None),
    )
    return {
        listing_id: reason for listing_id, reason in session.execute(rows) if listing_id is not None
    }


def update_job(session: Session, job_id: int, values: Mapping[str, Any]) -> None:
    """Changes columns of a job in the database, whatever the session holds of the job."""
    session.execute(update(BulkJob).where(BulkJob.id == job_id).values(**values))


def insert_job_rows(session: Session, rows: Sequence[Mapping[str, Any]]) -> list[int]:
    """Adds rows to jobs and returns their ids, in order."""
    statement = insert(BulkJobRow).returning(BulkJobRow.id, sort_by_parameter_order=True)
    return list(session.scalars(statement, rows))


def job_rows_by_id(session: Session, row_ids: Collection[int]) -> list[BulkJobRow]:
    """Loads rows by their ids in one query. As long as the caller holds them, settling each of them
    needs no further query.
    """
    return list(session.scalars(select(BulkJobRow).where(among(BulkJobRow.id, row_ids))))


def mark_done(session: Session, row_ids: Collection[int]) -> list[tuple[int, int]]:
    """Gives rows that still wait the verdict *done* and returns how many of each job these were, as
    (job, count).
    """
    waiting = (among(BulkJobRow.id, row_ids), BulkJobRow.verdict == JobVerdict.WAITING)
    counts = session.execute(
        select(BulkJobRow.job_id, func.count()).where(*waiting).group_by(BulkJobRow.job_id)
    ).all()
    if counts:
        statement = update(BulkJobRow).where(*waiting).values(verdict="done")
        session.execute(statement.execution_options(synchronize_session=False))
    return [(job_id, count) for job_id, count in counts]


def waiting_rows(session: Session, listing_ids: Collection[int]) -> dict[int, int]:
    """Returns the latest row that waits for each of some listings, by listing."""
    statement = select(BulkJobRow.listing_id, BulkJobRow.id).where(
        among(BulkJobRow.listing_id, listing_ids), BulkJobRow.verdict == JobVerdict.WAITING
    )
    rows = session.execute(statement.order_by(BulkJobRow.id)).all()
    return {listing_id: row for listing_id, row in rows if listing_id is not None}


def waiting_row_ids(session: Session, listing_id: int) -> list[int]:
    """Returns the ids of the rows that wait for one listing."""
    statement = select(BulkJobRow.id).where(
        BulkJobRow.listing_id == listing_id, BulkJobRow.verdict == JobVerdict.WAITING
    )
    return list(session.scalars(statement))
