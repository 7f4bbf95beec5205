"""Queries over bulk jobs as the worker sees them, saved mappings, and price lists by key."""

from collections import Counter, defaultdict
from collections.abc import Collection, Sequence
from typing import Any, NamedTuple

from sqlalchemy import delete, func, select, true, update
from sqlalchemy.orm import Session

from relvan.core.catalogue.facts import Changes, Facts
from relvan.core.jobs.life import WORKING, JobVerdict
from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.blocks import blocks_from, count_in_blocks, forget_blocks
from relvan.store.bulk import insert_rows, update_columns
from relvan.store.portable import json_pairs
from relvan.store.rows import rows_as
from relvan.store.tables import (
    Attribute,
    Bin,
    BinBalance,
    BulkJob,
    BulkJobRow,
    Mapping,
    PriceList,
    Product,
    ProductPicture,
    Warehouse,
)


def price_list_keys(session: Session) -> list[str]:
    """Returns the keys of all price lists, the first created first."""
    return list(session.scalars(select(PriceList.key).order_by(PriceList.id)).all())


def price_list_ids(session: Session) -> dict[str, int]:
    """Returns the id of each price list by its key."""
    return dict(session.execute(select(PriceList.key, PriceList.id)).all())


def list_currencies(session: Session) -> dict[str, str]:
    """Returns the currency of each price list by its key."""
    return dict(session.execute(select(PriceList.key, PriceList.currency)).all())


def all_currencies(session: Session, own: str) -> dict[str, str]:
    """Returns the currency of each price list by its key, and the seller's own currency under ""."""
    return {"": own, **list_currencies(session)}


def mapping_by_name(session: Session, name: str) -> Mapping:
    """Returns a saved mapping by its name, without regard to case."""
    found = session.scalar(select(Mapping).where(Mapping.name_key == name.strip().casefold()))
    if found is None:
        raise not_found("mapping", name)
    return found


def mappings(session: Session, kind: str = "") -> list[Mapping]:
    """Returns all saved mappings, or those of one kind of file."""
    statement = select(Mapping).order_by(Mapping.name_key)
    return list(session.scalars(statement.where(Mapping.kind == kind) if kind else statement).all())


def next_working_job(session: Session) -> int | None:
    """Returns the oldest job that the worker has something to do for."""
    return session.scalar(
        select(BulkJob.id).where(BulkJob.state.in_(WORKING)).order_by(BulkJob.id).limit(1)
    )


def forget_rows(session: Session, job_id: int, positions: Collection[int] | None = None) -> None:
    """Deletes the rows of a rehearsal that begins anew, or some of them."""
    statement = delete(BulkJobRow).where(BulkJobRow.job_id == job_id)
    if positions is None:
        forget_blocks(session, job_id)
    session.execute(
        statement if positions is None else statement.where(among(BulkJobRow.position, positions))
    )


class NewImportRow(NamedTuple):
    """A row that is to be added to a job; see `BulkJobRow`."""

    position: int
    subject: str
    verdict: str = JobVerdict.WAITING
    reason: str = ""
    change: Facts | Changes | None = None
    turn: int = 1
    leader: int | None = None


def add_rows(session: Session, job_id: int, rows: Sequence[NewImportRow]) -> None:
    """Adds rows to a job."""
    insert_rows(
        session, BulkJobRow, ("job_id", *NewImportRow._fields), [(job_id, *row) for row in rows]
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


def many_names(session: Session) -> dict[str, list[str]]:
    """Returns the fields of which a file may have several columns, by group: price lists,
    attributes in use, traits of families.
    """
    key = json_pairs(Product.attributes).table_valued("key", name="held")
    used = session.scalars(
        select(key.c.key).select_from(Product).join(key, true()).distinct()
    ).all()
    defined = session.scalars(select(Attribute.name)).all()
    axes = session.scalars(select(Product.axes).where(Product.kind == "family")).all()
    attributes = {name.casefold(): name for name in (*used, *defined)}
    traits = {axis[0]: None for held in axes for axis in held}
    return {
        "price": price_list_keys(session),
        "attribute": sorted(attributes.values()),
        "trait": sorted(traits),
    }


def counted_bins(
    session: Session, product_ids: Collection[int]
) -> dict[int, list[tuple[str, str, int]]]:
    """Returns (warehouse, bin, units) of products, in the order of the way through the warehouse."""
    rows = session.execute(
        select(BinBalance.product_id, Warehouse.key, Bin.code, BinBalance.on_hand)
        .join(Bin, Bin.id == BinBalance.bin_id)
        .join(Warehouse, Warehouse.id == Bin.warehouse_id)
        .where(among(BinBalance.product_id, product_ids))
        .order_by(Warehouse.id, Bin.walk)
    ).all()
    found: dict[int, list[tuple[str, str, int]]] = defaultdict(list)
    for product_id, warehouse, shelf, units in rows:
        found[product_id].append((warehouse, shelf, units))
    return found


def picture_uses(
    session: Session, product_ids: Collection[int]
) -> dict[int, list[tuple[str, str]]]:
    """Returns (name, role) of the pictures of products in order. The first one shown is the main
    picture.
    """
    rows = session.execute(
        select(ProductPicture.product_id, ProductPicture.sha, ProductPicture.role)
        .where(among(ProductPicture.product_id, product_ids))
        .order_by(ProductPicture.product_id, ProductPicture.position)
    ).all()
    found: dict[int, list[tuple[str, str]]] = defaultdict(list)
    for product_id, sha, role in rows:
        first = role == "shown" and all(held == "description" for _, held in found[product_id])
        found[product_id].append(
            (sha, "main" if first else "further" if role == "shown" else "description")
        )
    return found
