"""Keeps plain rows of bulk jobs that share a verdict together, many of them in one record. See
`BulkJobBlock`.
"""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from relvan.core.catalogue.plain import PlainRows
from relvan.store.tables import BulkJobBlock


class Kept(NamedTuple):
    """A block of rows as the database holds it."""

    id: int
    verdict: str
    rows: PlainRows


def add_block(session: Session, job_id: int, verdict: str, rows: PlainRows) -> None:
    """Adds a block of rows to a bulk job."""
    session.add(BulkJobBlock(job_id=job_id, verdict=verdict, **_as_kept(rows)))
    session.flush()


def next_block(
    session: Session, job_id: int, verdicts: Sequence[str], *, backwards: bool = False
) -> Kept | None:
    """Returns the first block that has one of these verdicts, or the last one when going backwards."""
    wanted = select(BulkJobBlock).where(
        BulkJobBlock.job_id == job_id, BulkJobBlock.verdict.in_(verdicts)
    )
    order = BulkJobBlock.first.desc() if backwards else BulkJobBlock.first
    found = session.scalars(wanted.order_by(order).limit(1)).first()
    return None if found is None else _kept(found)


def settle_block(session: Session, block: Kept, verdict: str, left: Sequence[int]) -> None:
    """Gives a block a verdict. The rows at the places in `left` are taken out of the block and no
    longer belong to it.
    """
    if len(left) == len(block.rows):
        session.execute(delete(BulkJobBlock).where(BulkJobBlock.id == block.id))
        return
    fewer: dict[str, Any] = _as_kept(block.rows.pick(block.rows.without(left))) if left else {}
    settle = (
        update(BulkJobBlock).where(BulkJobBlock.id == block.id).values(verdict=verdict, **fewer)
    )
    session.execute(settle.execution_options(synchronize_session=False))


def forget_blocks(session: Session, job_id: int) -> None:
    """Deletes the blocks of a rehearsal that begins anew."""
    session.execute(delete(BulkJobBlock).where(BulkJobBlock.job_id == job_id))


def count_in_blocks(session: Session, job_id: int) -> dict[str, int]:
    """Returns how many rows in blocks have each verdict."""
    counted = select(BulkJobBlock.verdict, func.sum(BulkJobBlock.count)).where(
        BulkJobBlock.job_id == job_id
    )
    return dict(session.execute(counted.group_by(BulkJobBlock.verdict)).all())


def blocks_from(
    session: Session, job_id: int, after: int | None = None, verdict: str = ""
) -> Iterator[Kept]:
    """Yields the blocks of a job that hold rows after a position, ordered by their first row. Each
    is read when it is asked for.
    """
    wanted = select(BulkJobBlock.id).where(BulkJobBlock.job_id == job_id)
    if after is not None:
        wanted = wanted.where(BulkJobBlock.last > after)
    if verdict:
        wanted = wanted.where(BulkJobBlock.verdict == verdict)
    for block_id in session.scalars(wanted.order_by(BulkJobBlock.first, BulkJobBlock.id)).all():
        yield _kept(session.get_one(BulkJobBlock, block_id))


def _as_kept(rows: PlainRows) -> dict[str, Any]:
    content = {
        "positions": rows.positions,
        "subjects": rows.subjects,
        "old": dict(rows.old),
        "new": dict(rows.new),
    }
    return {
        "first": rows.positions[0],
        "last": rows.positions[-1],
        "count": len(rows),
        "content": content,
    }


def _kept(found: BulkJobBlock) -> Kept:
    content: Mapping[str, Any] = found.content
    return Kept(found.id, found.verdict, PlainRows(**content))
