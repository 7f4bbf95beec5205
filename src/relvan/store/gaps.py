"""Queries over the gaps of many listings, counted by what mends them."""

from collections.abc import Iterable
from dataclasses import dataclass, replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.store.among import among
from relvan.store.lacks import Way, all_ways, ways_among
from relvan.store.listing_list import ListingFilter, conditions_of
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
    if listing_ids is None and wanted == ListingFilter(channel=wanted.channel):
        ways = all_ways(session, wanted.channel)
    else:
        conditions = conditions_of(session, wanted)
        if listing_ids is not None:
            conditions.append(among(Listing.id, listing_ids))
        ways = ways_among(session, conditions)
    channels = session.execute(select(Channel.id, Channel.name, Channel.key))
    named = {channel_id: (name, key) for channel_id, name, key in channels}
    groups = _grouped(ways, named)
    return sorted(groups, key=lambda group: (-group.count, group.channel_id, group.field))


def _grouped(ways: Iterable[Way], named: dict[int, tuple[str, str]]) -> Iterable[GapGroup]:
    """Returns the gaps of all ways, each with the number of listings that have it. Of several
    messages for one gap the first in the alphabet stands for all.
    """
    found: dict[tuple[int, str, str, str, str], GapGroup] = {}
    for way in ways:
        name, key = named[way.channel_id]
        for gap in way.gaps:
            ours = gap.get("ours") or ""
            what = (way.channel_id, gap["mend"], gap["field"], gap["kind"], ours)
            group = found.get(what)
            if group is None:
                group = GapGroup(
                    way.channel_id,
                    name,
                    key,
                    *what[1:],
                    count=0,
                    message=gap["message"],
                    nearest="",
                )
            found[what] = replace(
                group,
                count=group.count + way.count,
                message=min(group.message, gap["message"]),
                nearest=max(group.nearest, gap.get("nearest") or ""),
            )
    return found.values()
