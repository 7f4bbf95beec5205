"""Queries over the gaps of many listings: counted by what mends them."""

from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from relvan.store.among import among
from relvan.store.listing_list import ListingFilter, conditions_of
from relvan.store.portable import json_items, part_of
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


def gap_groups(session: Session, wanted: ListingFilter, *, listing_ids: list[int] | None = None) -> list[GapGroup]:
    """The gaps of listings that a filter finds, or of some of these, by what mends them, the most frequent first."""
    gap: Any = json_items(Listing.gaps).table_valued("value", name="gap")
    part = {name: part_of(gap.c.value, name) for name in ("mend", "field", "kind", "ours")}
    ours = func.coalesce(part["ours"], "")
    statement = (
        select(
            Listing.channel_id, func.min(Channel.name), func.min(Channel.key), part["mend"], part["field"],
            part["kind"], ours, func.count(), func.min(part_of(gap.c.value, "message")),
            func.coalesce(func.max(part_of(gap.c.value, "nearest")), ""),
        )
        .select_from(Listing)
        .join(Channel, Channel.id == Listing.channel_id)
        .join(gap, Listing.id > 0)
        .where(*conditions_of(session, wanted), Listing.gap_count > 0)
        .group_by(Listing.channel_id, part["mend"], part["field"], part["kind"], ours)
        .order_by(func.count().desc(), Listing.channel_id, part["field"])
    )  # fmt: skip
    if listing_ids is not None:
        statement = statement.where(among(Listing.id, listing_ids))
    return rows_as(GapGroup, session, statement)
