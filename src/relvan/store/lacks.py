"""Reads in which ways listings lack something. Of 200,000 listings there are at most a few hundred
ways, because each has a mark: listings of a channel with the same mark have the same gaps.
"""

from collections import Counter
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, Select, false, func, or_, select
from sqlalchemy.orm import Session, aliased

from relvan.store.among import among
from relvan.store.tables import Channel, Listing, Product

_row = Listing.__table__.c
_product = aliased(Product)


@dataclass(frozen=True)
class Way:
    """A way in which listings of a channel lack something: their gaps, and how many have just
    these.
    """

    channel_id: int
    gaps: list[Mapping[str, Any]]
    count: int


def _marks_in_use() -> Any:
    """Returns every channel with each mark that its listings have. The index is entered once for
    each mark, so that it makes no difference how many listings there are.
    """

    def first_mark(*conditions: ColumnElement[bool]) -> Select[Any]:
        return select(func.min(_row.gap_mark)).where(_row.gap_count > 0, *conditions)

    found = select(
        Channel.id.label("channel_id"),
        first_mark(_row.channel_id == Channel.id).scalar_subquery().label("gap_mark"),
    ).cte("found", recursive=True)
    following = first_mark(_row.channel_id == found.c.channel_id, _row.gap_mark > found.c.gap_mark)
    return found.union_all(
        select(found.c.channel_id, following.correlate(found).scalar_subquery()).where(
            found.c.gap_mark.is_not(None)
        )
    )


_USED = _marks_in_use()
_ALIKE = (
    _row.channel_id == _USED.c.channel_id,
    _row.gap_mark == _USED.c.gap_mark,
    _row.gap_count > 0,
)
# the marks in use, each with the gaps of one listing that has it
_WAYS = select(
    _USED.c.channel_id,
    _USED.c.gap_mark,
    select(_row.gaps).where(*_ALIKE).limit(1).correlate(_USED).scalar_subquery(),
).where(_USED.c.gap_mark.is_not(None))
# and with how many listings have it
_COUNTED = _WAYS.add_columns(
    select(func.count()).select_from(Listing).where(*_ALIKE).correlate(_USED).scalar_subquery()
)


def has_gap(session: Session, channel: str = "", **asked: str) -> ColumnElement[bool]:
    """Returns the condition that a listing, on the channel with a key or on any, has one gap which
    matches `field`, `kind`, `mend` and `ours`; an empty one matches every gap. The ways in which
    listings lack such a thing are read first, so that the listings are then found by channel and
    mark.
    """
    wanted = {name: value for name, value in asked.items() if value}
    ways = _WAYS
    if channel:
        ways = ways.where(_USED.c.channel_id == _id_of(channel))
    marks: dict[int, list[str]] = {}
    for channel_id, mark, gaps in session.execute(ways):
        if any(all(gap.get(name) == value for name, value in wanted.items()) for gap in gaps):
            marks.setdefault(channel_id, []).append(mark)
    return (Listing.gap_count > 0) & or_(
        false(),
        *(
            (Listing.channel_id == channel_id) & among(Listing.gap_mark, alike)
            for channel_id, alike in marks.items()
        ),
    )


def _id_of(channel: str) -> Any:
    return select(Channel.id).where(Channel.key == channel).scalar_subquery()


def all_ways(session: Session, channel: str = "") -> list[Way]:
    """Returns the ways in which the listings of all channels, or of the one with a key, lack
    something. Products in the archive are left out.
    """
    ways = _COUNTED
    in_archive = select(_product.id).where(_product.archived_at.is_not(None))
    archived = select(_row.channel_id, _row.gap_mark).where(
        _row.product_id.in_(in_archive), _row.gap_count > 0
    )
    if channel:
        ways = ways.where(_USED.c.channel_id == _id_of(channel))
        archived = archived.where(_row.channel_id == _id_of(channel))
    away = Counter((channel_id, mark) for channel_id, mark in session.execute(archived))
    found = [
        Way(channel_id, gaps, count - away[channel_id, mark])
        for channel_id, mark, gaps, count in session.execute(ways)
    ]
    return [way for way in found if way.count]


def ways_among(session: Session, conditions: Collection[ColumnElement[bool]]) -> list[Way]:
    """Returns the ways in which the listings that meet conditions lack something."""
    counted = (
        select(
            _row.channel_id,
            _row.gap_mark,
            func.count().label("count"),
            func.min(_row.id).label("id"),
        )
        .where(_row.gap_count > 0, *conditions)
        .group_by(_row.channel_id, _row.gap_mark)
        .subquery("counted")
    )
    one = aliased(Listing, name="one")
    statement = select(counted.c.channel_id, one.gaps, counted.c.count).join(
        one, one.id == counted.c.id
    )
    return [Way(*row) for row in session.execute(statement)]
