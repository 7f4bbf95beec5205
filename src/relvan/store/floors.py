"""Queries for prices below their floor, as a channel shows them or as goods were sold, and for
other prices that need a look first.
"""

from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import ColumnElement, ScalarSelect, Select, func, select, union
from sqlalchemy.orm import Session, aliased

from relvan.store.listing_list import ListingRow, select_listing_rows
from relvan.store.portable import leading_number
from relvan.store.tables import Drift, Listing, Order, OrderLine

SOLD_OF = timedelta(days=28)
STRANGE_PRICE = (
    (Drift.topic == "price") & Drift.ended_at.is_(None) & Drift.confirmed_at.is_not(None)
)


def shown_below() -> ColumnElement[bool]:
    """Returns the condition that a channel shows a listing below its floor: by the price that it
    accepted last, or by one that drifted.
    """
    low = aliased(Listing)
    accepted = select(low.id).where(low.sent_price < low.lowest)
    return Listing.placed.is_(True) & Listing.id.in_(union(accepted, _drifted_below()))


def _drifted_below() -> Select[int]:
    strange = select(Drift.listing_id).where(STRANGE_PRICE)
    return strange.join(Listing, Listing.id == Drift.listing_id).where(
        leading_number(Drift.theirs) < Listing.lowest
    )


def sold_below(since: datetime) -> Select[int | None]:
    """Returns the products that were sold since a moment below the floor that holds today on the
    channel of their listing.
    """
    return (
        select(OrderLine.product_id)
        .join(Order, Order.id == OrderLine.order_id)
        .join(
            Listing,
            (Listing.channel_id == Order.channel_id) & (Listing.product_id == OrderLine.product_id),
        )
        .where(Order.placed_at > since, Order.cancelled_at.is_(None), OrderLine.part_of.is_(None))
        .where(OrderLine.unit_price < Listing.lowest)
    )


@dataclass(frozen=True)
class WatchedRow:
    """A listing whose price needs a look, with its floor and the price that its channel shows, in
    minor units of the channel's currency.
    """

    listing: ListingRow
    lowest: int | None
    shown: int | None

    @property
    def below(self) -> bool:
        """Whether the channel shows it below its floor."""
        return self.lowest is not None and self.shown is not None and self.shown < self.lowest


def prices_to_watch(session: Session, limit: int = 12) -> list[WatchedRow]:
    """Returns listings that a channel shows below their floor, then those that sell at a loss (the
    greatest loss first), then those whose price a floor holds; one query.
    """
    shown = Listing.state.in_(("live", "behind", "ready", "sending"))
    below = select(Listing.id).where(shown_below()).order_by(Listing.id).limit(limit)
    loss = (
        select(Listing.id)
        .where(Listing.margin < 0, shown)
        .order_by(Listing.margin, Listing.id)
        .limit(limit)
    )
    held = (
        select(Listing.id).where(Listing.floored.is_(True), shown).order_by(Listing.id).limit(limit)
    )
    chosen = union(*(select(one.subquery()) for one in (below, loss, held)))
    statement = select_listing_rows().add_columns(
        Listing.lowest, func.coalesce(_drifted_to(), Listing.sent_price)
    )
    found = [
        WatchedRow(ListingRow(*row), lowest, there)
        for *row, lowest, there in session.execute(statement.where(Listing.id.in_(chosen))).all()
    ]
    found.sort(key=lambda one: (not one.below, min(0, one.listing.margin or 0), one.listing.id))
    return found[:limit]


def _drifted_to() -> ScalarSelect[int]:
    """Returns the price that a channel shows instead of the one that it accepted."""
    wanted = select(leading_number(Drift.theirs)).where(
        Drift.listing_id == Listing.id, STRANGE_PRICE
    )
    return wanted.correlate(Listing).scalar_subquery()
