"""What the list of orders may be asked for, and the conditions that this comes to.

Those of tray, progress, channel and country are answered by one index (`relvan.store.order_paths`),
so they are kept apart from the others.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import ColumnElement, and_, not_, or_, select
from sqlalchemy.orm import Session

from relvan.core.orders.facts import Extent
from relvan.store.order_search import ids_with_words
from relvan.store.tables import (
    Channel,
    Order,
    OrderLine,
    OrderNotice,
    OrderTag,
    Parcel,
    Shipment,
)


@dataclass(frozen=True)
class OrderFilter:
    """Says which orders a page shows. Of several values one is enough; values of the progress are
    `none`, `part`, `all`, or `open` for none or part. `aside` is `yes` or `no`; `assigned` is the id
    of a person, or 0 for nobody; `since` is a moment before which an order came into its tray.
    `unknown` says whether a line of it belongs to no product, and `noticed` whether something of it
    lies before the team; `promised_by` is the last day by which it was promised.
    """

    words: str = ""
    tray: tuple[str, ...] = ()
    channel: tuple[str, ...] = ()
    reserved: tuple[str, ...] = ()
    picked: tuple[str, ...] = ()
    shipped: tuple[str, ...] = ()
    invoiced: tuple[str, ...] = ()
    paid: tuple[str, ...] = ()
    tag: tuple[str, ...] = ()
    country: tuple[str, ...] = ()
    aside: str = ""
    assigned: int | None = None
    since: datetime | None = None
    unknown: bool | None = None
    noticed: bool | None = None
    promised_by: date | None = None


OPEN = (Extent.NONE, Extent.PART)
PROGRESS = {
    "reserved": Order.fact_reserved,
    "picked": Order.fact_picked,
    "shipped": Order.fact_shipped,
    "invoiced": Order.fact_invoiced,
    "paid": Order.fact_paid,
}


def extents_of(wanted: OrderFilter) -> Mapping[str, tuple[str, ...]]:
    """Returns the extents that each progress may have, for those that are asked for."""
    found = {name: _extents(getattr(wanted, name)) for name in PROGRESS}
    return {name: extents for name, extents in found.items() if extents}


def standing_conditions(wanted: OrderFilter) -> list[ColumnElement[bool]]:
    """Returns the conditions of tray, progress, channel and country."""
    found: list[ColumnElement[bool]] = []
    if wanted.tray:
        found.append(Order.tray.in_(wanted.tray))
    if wanted.channel:
        found.append(_of_channels(wanted.channel))
    if wanted.country:
        found.append(Order.country.in_(wanted.country))
    found += (PROGRESS[name].in_(extents) for name, extents in extents_of(wanted).items())
    return found


def other_conditions(session: Session, wanted: OrderFilter) -> list[ColumnElement[bool]]:
    """Returns all other conditions."""
    found: list[ColumnElement[bool]] = []
    if wanted.tag:
        tagged = select(OrderTag.order_id).where(OrderTag.tag.in_(wanted.tag))
        found.append(Order.id.in_(tagged))
    if wanted.aside:
        found.append(
            Order.aside_until.is_not(None) if wanted.aside == "yes" else Order.aside_until.is_(None)
        )
    if wanted.assigned is not None:
        found.append(Order.assigned_id.is_not_distinct_from(wanted.assigned or None))
    if wanted.since is not None:
        found.append(Order.tray_since < wanted.since)
    if wanted.unknown is not None:
        unknown = select(OrderLine.order_id).where(
            OrderLine.product_id.is_(None), OrderLine.is_free.is_(False)
        )
        with_one = and_(Order.id.in_(unknown), Order.cancelled_at.is_(None))
        found.append(with_one if wanted.unknown else not_(with_one))
    if wanted.noticed is not None:
        with_notice = Order.id.in_(select(OrderNotice.order_id).where(OrderNotice.choice.is_(None)))
        found.append(with_notice if wanted.noticed else not_(with_notice))
    if wanted.promised_by is not None:
        found.append(Order.promised_on <= wanted.promised_by.isoformat())
    if wanted.words:
        found.append(_by_words(session, wanted.words))
    return found


def _extents(values: Sequence[str]) -> tuple[str, ...]:
    """Returns the extents that a progress may have; all three ask for nothing."""
    some = {extent for value in values for extent in (OPEN if value == "open" else (value,))}
    return () if len(some) == len(Extent) else tuple(sorted(some))


def _of_channels(keys: Sequence[str]) -> ColumnElement[bool]:
    named = select(Channel.id).where(Channel.key.in_([key for key in keys if key != "none"]))
    of_some = Order.channel_id.in_(named)
    return or_(of_some, Order.channel_id.is_(None)) if "none" in keys else of_some


def _by_words(session: Session, words: str) -> ColumnElement[bool]:
    """Returns the condition that an order's number, reference, customer's name or tracking number
    begins with some words, or that words of its customer's name, mail address or reference do.
    """
    text = words.strip().replace("%", "").replace("_", "")
    tracked = (
        select(Shipment.order_id)
        .join(Parcel, Parcel.shipment_id == Shipment.id)
        .where(Parcel.tracking_number == text.upper())
    )
    worded = ids_with_words(session, words)
    return or_(
        Order.number.like(f"{text}%"),
        Order.channel_number.like(f"{text}%"),
        Order.customer.like(f"{text}%"),
        and_(Order.reference.like(f"{text}%"), Order.reference != ""),
        Order.id.in_(tracked),
        *(() if worded is None else (Order.id.in_(worded),)),
    )
