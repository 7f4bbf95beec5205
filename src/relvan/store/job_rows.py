"""Keeps the rows of bulk jobs: adds them, reads them, and gives them their verdicts.

Every row has a record of its own (`BulkJobRow`), except plain rows that share a verdict, which lie
together in blocks (`store/blocks.py`). The functions here count and read both alike.
"""

from collections import Counter
from collections.abc import Collection, Sequence
from typing import Any, NamedTuple

from sqlalchemy import Select, Update, delete, func, select, update
from sqlalchemy.orm import Session

from relvan.core.catalogue.facts import Changes, Facts
from relvan.core.catalogue.plain import PlainRows
from relvan.core.jobs.life import JobVerdict
from relvan.store.among import among
from relvan.store.blocks import blocks_from, count_in_blocks, forget_blocks
from relvan.store.built import bare_rows, built_once
from relvan.store.bulk import insert_rows, update_columns
from relvan.store.rows import rows_as
from relvan.store.tables import BulkJobRow


class NewRow(NamedTuple):
    """A row that is to be added to a job; see `BulkJobRow`."""

    position: int
    subject: str
    verdict: str = JobVerdict.WAITING
    reason: str = ""
    change: Facts | Changes | None = None
    turn: int = 1
    leader: int | None = None
    listing_id: int | None = None
    more: dict[str, Any] | None = None


def add_rows(session: Session, job_id: int, rows: Sequence[NewRow]) -> None:
    """Adds rows to a job."""
    held = [(job_id, *row) for row in rows]
    insert_rows(session, BulkJobRow, ("job_id", *NewRow._fields), held)


def row_ids(session: Session, job_id: int) -> list[int]:
    """Returns the ids of the rows of a job, in their order."""
    rows = select(BulkJobRow.id).where(BulkJobRow.job_id == job_id)
    return list(session.scalars(rows.order_by(BulkJobRow.position)))


def forget_rows(session: Session, job_id: int, positions: Collection[int] | None = None) -> None:
    """Deletes the rows of a rehearsal that begins anew, or some of them."""
    statement = delete(BulkJobRow).where(BulkJobRow.job_id == job_id)
    if positions is None:
        forget_blocks(session, job_id)
    session.execute(
        statement if positions is None else statement.where(among(BulkJobRow.position, positions))
    )


class ChangeRow(NamedTuple):
    """A row that is to be applied or undone, as fact -> [old, new]."""

    id: int
    job_id: int
    position: int
    subject: str
    turn: int
    change: dict[str, Any]

    def turned(self) -> "ChangeRow":
        """Returns the row with new and old values in each other's place, as undoing applies it."""
        return self._replace(change={name: [new, old] for name, (old, new) in self.change.items()})


def next_changes(
    session: Session, job_id: int, verdicts: Sequence[str], limit: int, *, backwards: bool = False
) -> list[ChangeRow]:
    """Returns the next leading rows with these verdicts, all of one turn: those to be applied or,
    backwards, those to be undone.

    Each verdict is queried alone, in the order of the index; queried together, all remaining rows
    would be sorted for every chunk.
    """
    row = BulkJobRow.__table__.c
    order = [column.desc() if backwards else column for column in (row.turn, row.position)]
    wanted = select(row.id, row.job_id, row.position, row.subject, row.turn, row.change)
    wanted = (
        wanted.where(row.job_id == job_id, row.change.is_not(None)).order_by(*order).limit(limit)
    )
    found = [
        found
        for verdict in verdicts
        for found in rows_as(ChangeRow, session, wanted.where(row.verdict == verdict))
    ]
    if not found:
        return []
    first = max if backwards else min
    turn = first(change.turn for change in found)
    now = sorted(
        (change for change in found if change.turn == turn), key=lambda change: change.position
    )
    return (now[::-1] if backwards else now)[:limit]


def all_changes(
    session: Session, job_id: int, *, after: int, limit: int
) -> list[tuple[int, str, dict[str, Any]]]:
    """Yields (id, subject, fact -> [old, new]) of the rows of a job that would change something,
    after one of them.
    """
    row = BulkJobRow.__table__.c
    wanted = select(row.id, row.subject, row.change).where(
        row.job_id == job_id, row.verdict == "changes", row.change.is_not(None), row.id > after
    )
    return [
        (found[0], found[1], found[2])
        for found in session.execute(wanted.order_by(row.id).limit(limit))
    ]


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


def subjects_of(session: Session, job_id: int) -> list[tuple[int, str]]:
    """Returns (position, subject) of every row."""
    rows = select(BulkJobRow.position, BulkJobRow.subject).where(BulkJobRow.job_id == job_id)
    found = [(position, subject) for position, subject in session.execute(rows).all()]
    for block in blocks_from(session, job_id):
        found += zip(block.rows.positions, block.rows.subjects, strict=True)
    return sorted(found)


def count_verdicts(session: Session, job_id: int) -> dict[str, int]:
    """Returns how many rows of the file of a job have each verdict."""
    rows = select(BulkJobRow.verdict, func.count()).where(
        BulkJobRow.job_id == job_id, BulkJobRow.position > 0
    )
    counted = Counter(dict(session.execute(rows.group_by(BulkJobRow.verdict)).all()))
    return dict(counted + Counter(count_in_blocks(session, job_id)))


def verdicts_by_position(session: Session, job_id: int) -> dict[int, tuple[str, str]]:
    """Returns (verdict, reason) of every row by its position."""
    rows = select(BulkJobRow.position, BulkJobRow.verdict, BulkJobRow.reason).where(
        BulkJobRow.job_id == job_id
    )
    found = {
        position: (verdict, reason) for position, verdict, reason in session.execute(rows).all()
    }
    for block in blocks_from(session, job_id):
        found |= dict.fromkeys(block.rows.positions, (block.verdict, ""))
    return found


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


def settle_rows(
    session: Session, job_id: int, leaders: Collection[int], verdict: str, reason: str = ""
) -> int:
    """Gives the rows of things, by the positions of their leaders, a verdict and returns how many
    rows of the file these were.
    """
    if not leaders:
        return 0
    settled = 0
    settle = (
        update(BulkJobRow).where(BulkJobRow.job_id == job_id).values(verdict=verdict, reason=reason)
    )
    settle = settle.execution_options(synchronize_session=False)
    for place in (BulkJobRow.position, BulkJobRow.leader):
        settled += session.execute(settle.where(among(place, leaders))).rowcount  # type: ignore[attr-defined]
    return settled - sum(leader < 0 for leader in leaders)


def settle_alone(session: Session, ids: Collection[int], verdict: str) -> int:
    """Gives rows that no other row follows a verdict, by their ids, and returns how many there
    were.
    """
    update_columns(session, BulkJobRow, {"verdict": [verdict] * len(ids)}, list(ids))
    return len(ids)


def job_rows_by_id(session: Session, row_ids: Collection[int]) -> list[BulkJobRow]:
    """Loads rows by their ids in one query. As long as the caller holds them, settling each of them
    needs no further query.
    """
    return list(session.scalars(*_job_rows_with_ids(row_ids))) if row_ids else []


@built_once
def _job_rows_with_ids(row_ids: Collection[int]) -> Select[BulkJobRow]:
    return select(BulkJobRow).where(among(BulkJobRow.id, row_ids))


def mark_done(session: Session, row_ids: Collection[int]) -> list[tuple[int, int]]:
    """Gives rows that still wait the verdict *done* and returns how many of each job these were, as
    (job, count).
    """
    if not row_ids:
        return []
    counts = bare_rows(session, *_waiting_by_job(row_ids)).all()
    if counts:
        session.execute(*_marking_done(row_ids))
    return [(job_id, count) for job_id, count in counts]


@built_once
def _waiting_by_job(row_ids: Collection[int]) -> Select[int, int]:
    waiting = (among(BulkJobRow.id, row_ids), BulkJobRow.verdict == JobVerdict.WAITING)
    return select(BulkJobRow.job_id, func.count()).where(*waiting).group_by(BulkJobRow.job_id)


@built_once
def _marking_done(row_ids: Collection[int]) -> Update:
    waiting = (among(BulkJobRow.id, row_ids), BulkJobRow.verdict == JobVerdict.WAITING)
    statement = update(BulkJobRow).where(*waiting).values(verdict=JobVerdict.DONE)
    return statement.execution_options(synchronize_session=False)


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
