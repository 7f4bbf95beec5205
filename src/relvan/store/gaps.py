"""Queries over the gaps of many listings, counted by what mends them."""

from dataclasses import dataclass

from sqlalchemy import func, select, true
from sqlalchemy.orm import Session

from relvan.store.among import among
from relvan.store.listing_list import ListingFilter, alike_gaps, conditions_of
from relvan.store.portable import part_of
from relvan.store.rows import rows_as
from relvan.store.tables import Channel, Listing


@dataclass(frozen=True)
class GapGroup:
    """A gap that several listings of a channel have alike."""

    channel_id: int
    channel: str
    channel_key: str
    mend: str
    field: str
    kind: str
    ours: str
    count: int
    message: str
    nearest: str


def gap_groups(
    session: Session, wanted: ListingFilter, *, listing_ids: list[int] | None = None
) -> list[GapGroup]:
    """Returns the gaps of the listings that a filter finds, or of some of these, grouped by what
    mends them, the most frequent first.
    """
    conditions = conditions_of(session, wanted)
    if listing_ids is not None:
        conditions.append(among(Listing.id, listing_ids))
    alike, gap = alike_gaps(*conditions)
    part = {name: part_of(gap.c.value, name) for name in ("mend", "field", "kind", "ours")}
    ours = func.coalesce(part["ours"], "")
    statement = (
        select(
            alike.c.channel_id,
            func.min(Channel.name),
            func.min(Channel.key),
            part["mend"],
            part["field"],
            part["kind"],
            ours,
            func.sum(alike.c.count),
            func.min(part_of(gap.c.value, "message")),
            func.coalesce(func.max(part_of(gap.c.value, "nearest")), ""),
        )
        .select_from(alike)
        .join(Channel, Channel.id == alike.c.channel_id)
        .join(gap, true())
        .group_by(alike.c.channel_id, part["mend"], part["field"], part["kind"], ours)
        .order_by(func.sum(alike.c.count).desc(), alike.c.channel_id, part["field"])
    )
    return rows_as(GapGroup, session, statement)
