"""Queries of moving in: what was read from channels and is linked to nothing yet, the rows of a
proposal, and the listings that are not kept in step yet.
"""

from collections.abc import Collection, Sequence
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, and_, func, or_, select, update
from sqlalchemy.orm import Session

from relvan.core.jobs.life import JobVerdict
from relvan.store.among import among
from relvan.store.portable import part_of
from relvan.store.rows import rows_as
from relvan.store.tables import BulkJobRow, Channel, Finding, Listing, Product


def unlinked_findings(session: Session, channel_ids: Collection[int]) -> list[Finding]:
    """Returns what was read from some channels and is linked to nothing, in the order of reading.
    What lies in a marketplace's own centre is left out.
    """
    statement = select(Finding).where(
        among(Finding.channel_id, channel_ids),
        Finding.listing_id.is_(None),
        Finding.centre.is_(False),
    )
    return list(session.scalars(statement.order_by(Finding.id)))


def findings_with_ids(session: Session, ids: Collection[int]) -> dict[int, Finding]:
    """Returns what was read, by id."""
    rows = session.scalars(select(Finding).where(among(Finding.id, ids)))
    return {found.id: found for found in rows}


class ProposedRow(NamedTuple):
    """One proposed product, as a row of its job; see `BulkJobRow`."""

    id: int
    position: int
    subject: str
    verdict: str
    reason: str
    turn: int
    change: dict[str, Any] | None
    more: dict[str, Any]


# which rows a page shows beside all of them; a row says in `marks` to which it belongs
MARKS = ("conflicts", "families", "alone", "existing", "kits")
VERDICTS = {
    "left out": (JobVerdict.SAME,),
    "refused": (JobVerdict.REFUSED, JobVerdict.NOT_UNDONE),
}
ONLY = (*MARKS, *VERDICTS)


def _only(only: str) -> list[ColumnElement[bool]]:
    if only in VERDICTS:
        return [BulkJobRow.verdict.in_(VERDICTS[only])]
    marked = part_of(BulkJobRow.more, "marks").like(f"% {only} %")
    return [marked] if only in MARKS else []


def proposed_rows(
    session: Session, job_id: int, *, only: str = "", after: int = 0, limit: int = 50
) -> list[ProposedRow]:
    """Returns proposed products in their order: families first, each followed by its variants."""
    row = BulkJobRow.__table__.c
    statement = select(*(row[name] for name in ProposedRow._fields)).where(
        row.job_id == job_id, row.position > after, *_only(only)
    )
    return rows_as(ProposedRow, session, statement.order_by(row.position).limit(limit))


def count_proposed(session: Session, job_id: int) -> dict[str, int]:
    """Returns how many proposed products there are, and how many of each kind a page can show."""
    counts = [func.count().filter(*_only(only)) for only in ONLY]
    found = session.execute(select(func.count(), *counts).where(BulkJobRow.job_id == job_id)).one()
    return dict(zip(("all", *ONLY), map(int, found), strict=True))


def rows_to_move(
    session: Session, job_id: int, verdicts: Sequence[str], limit: int, *, backwards: bool = False
) -> list[ProposedRow]:
    """Returns the next rows that are to be applied or, backwards, undone; all of one turn."""
    row = BulkJobRow.__table__.c
    order = [column.desc() if backwards else column for column in (row.turn, row.position)]
    statement = (
        select(*(row[name] for name in ProposedRow._fields))
        .where(row.job_id == job_id, row.verdict.in_(verdicts))
        .order_by(*order)
        .limit(limit)
    )
    found = rows_as(ProposedRow, session, statement)
    return [one for one in found if one.turn == found[0].turn]


def keep_more(session: Session, row_id: int, more: dict[str, Any]) -> None:
    """Keeps what became of a row."""
    session.execute(update(BulkJobRow).where(BulkJobRow.id == row_id).values(more=more))


# --- keeping in step


def _not_in_step(channel_id: int) -> list[ColumnElement[bool]]:
    return [
        Listing.channel_id == channel_id,
        Listing.placed.is_(True),
        ~Listing.followed,  # as the index of these few says it
        Listing.wish == "live",
    ]


_PRICE = and_(Listing.price.is_not(None), Listing.price != func.coalesce(Listing.sent_price, -1))
_QUANTITY = and_(
    Listing.is_head.is_(False), Listing.quantity != func.coalesce(Listing.sent_quantity, -1)
)


class Waiting(NamedTuple):
    """How many listings of a channel are not kept in step, and what of them would change there."""

    listings: int
    prices: int
    quantities: int


def waiting_for_step(session: Session, channel_id: int) -> Waiting:
    """Returns how many listings of a channel are not kept in step yet, and how many prices and
    quantities would change there.
    """
    found = session.execute(
        select(func.count(), func.count().filter(_PRICE), func.count().filter(_QUANTITY)).where(
            *_not_in_step(channel_id)
        )
    ).one()
    return Waiting(*map(int, found))


class StepRow(NamedTuple):
    """One listing that would change when it is kept in step: prices in minor units, quantities in
    units, there and here.
    """

    id: int
    sku: str
    title: str
    price_there: int | None
    price: int | None
    quantity_there: int | None
    quantity: int
    currency: str


def rows_out_of_step(
    session: Session, channel_id: int, *, after: int = 0, limit: int = 50
) -> list[StepRow]:
    """Returns the listings of a channel that would change when they are kept in step."""
    statement = (
        select(
            Listing.id,
            Product.sku,
            Product.title,
            Listing.sent_price,
            Listing.price,
            Listing.sent_quantity,
            Listing.quantity,
            Channel.currency,
        )
        .join(Product, Product.id == Listing.product_id)
        .join(Channel, Channel.id == Listing.channel_id)
        .where(*_not_in_step(channel_id), or_(_PRICE, _QUANTITY), Listing.id > after)
        .order_by(Listing.id)
        .limit(limit)
    )
    return rows_as(StepRow, session, statement)


def ids_for_step(session: Session, channel_id: int, limit: int) -> list[int]:
    """Returns the next listings of a channel that are not kept in step yet."""
    statement = select(Listing.id).where(*_not_in_step(channel_id)).order_by(Listing.id)
    return list(session.scalars(statement.limit(limit)))


def follow_listings(session: Session, ids: Collection[int]) -> None:
    """Marks listings as kept in step."""
    session.execute(update(Listing).where(among(Listing.id, ids)).values(followed=True))
