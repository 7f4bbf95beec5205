"""Queries for how fast pools of stock sell, and how late channels hear of it."""

from collections.abc import Collection
from dataclasses import replace
from datetime import datetime, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from relvan.core.stock.pace import Selling, Unseen
from relvan.core.stock.risk import fades
from relvan.store.among import among
from relvan.store.rows import rows_as
from relvan.store.tables import Channel, LagSample, Order, OrderLine, Oversale

SALES_OF = timedelta(days=28)
LAGS_OF = timedelta(days=7)


def sold_a_minute(
    session: Session, product_ids: Collection[int], now: datetime
) -> dict[int, float]:
    """Returns the units a minute of products that were ordered over all channels in the last 28
    days, also as parts of kits.
    """
    statement = (
        select(OrderLine.product_id, func.sum(OrderLine.quantity))
        .join(Order, Order.id == OrderLine.order_id)
        .where(among(OrderLine.product_id, product_ids), Order.placed_at > now - SALES_OF)
        .where(Order.cancelled_at.is_(None))
        .group_by(OrderLine.product_id)
    )
    minutes = SALES_OF.total_seconds() / 60
    return {
        product_id: units / minutes
        for product_id, units in session.execute(statement)
        if product_id is not None
    }


def sold_unseen(session: Session, product_ids: Collection[int], now: datetime) -> list[Unseen]:
    """Returns the units of products that silent channels may have sold since their orders were last
    read: at the channel's own pace of the last 28 days, for as long as it is silent. One query when
    no channel is silent, otherwise two.
    """
    statement = select(Channel.id, Channel.name, Channel.silent_minutes).where(
        Channel.silent_minutes > 0
    )
    silent = rows_as(Unseen, session, statement.order_by(Channel.id))
    if not silent:
        return []
    rows = session.execute(
        select(OrderLine.product_id, Order.channel_id, func.sum(OrderLine.quantity))
        .join(Order, Order.id == OrderLine.order_id)
        .where(among(OrderLine.product_id, product_ids), Order.placed_at > now - SALES_OF)
        .where(
            Order.cancelled_at.is_(None), Order.channel_id.in_([one.channel_id for one in silent])
        )
        .group_by(OrderLine.product_id, Order.channel_id)
    )
    sold: dict[int | None, dict[int, float]] = {}
    for product_id, channel_id, units in rows.all():
        if product_id is not None:
            sold.setdefault(channel_id, {})[product_id] = units / SALES_OF.total_seconds() * 60
    return [
        replace(
            one,
            units={key: pace * one.minutes for key, pace in sold.get(one.channel_id, {}).items()},
        )
        for one in silent
    ]


def sold_on(session: Session, channel_ids: Collection[int], now: datetime) -> set[int]:
    """Returns the products that some channels have sold in the last 28 days."""
    statement = (
        select(OrderLine.product_id)
        .join(Order, Order.id == OrderLine.order_id)
        .where(
            Order.channel_id.in_(channel_ids),
            Order.placed_at > now - SALES_OF,
            Order.cancelled_at.is_(None),
        )
        .distinct()
    )
    return {product_id for product_id in session.scalars(statement) if product_id is not None}


def selling_of(session: Session, product_ids: Collection[int], now: datetime) -> Selling:
    """Returns how some pools sell; three queries, and four when a channel is silent."""
    return Selling(
        sold_a_minute(session, product_ids, now),
        oversold_lately(session, product_ids, now),
        sold_unseen(session, product_ids, now),
    )


def all_sold_a_minute(session: Session, now: datetime) -> dict[int, float]:
    """Returns the units a minute of every stocked product of which something was ordered in the
    last 28 days.
    """
    rows = session.execute(
        select(OrderLine.product_id, func.sum(OrderLine.quantity))
        .join(Order, Order.id == OrderLine.order_id)
        .where(Order.placed_at > now - SALES_OF, Order.cancelled_at.is_(None))
        .where(OrderLine.product_id.is_not(None), OrderLine.stocked.is_(True))
        .group_by(OrderLine.product_id)
    )
    minutes = SALES_OF.total_seconds() / 60
    return {
        product_id: units / minutes for product_id, units in rows.all() if product_id is not None
    }


def oversold_lately(
    session: Session, product_ids: Collection[int], now: datetime
) -> dict[int, float]:
    """Returns the units of products that were oversold in the last 28 days. Those of more than a
    week ago count half.
    """
    rows = session.execute(
        select(Oversale.product_id, Oversale.units, Oversale.at).where(
            among(Oversale.product_id, product_ids), Oversale.at > now - SALES_OF
        )
    )
    found: dict[int, float] = {}
    for product_id, units, at in rows.all():
        found[product_id] = found.get(product_id, 0.0) + fades(units, now - at)
    return found


def lag_minutes(session: Session, channel_id: int, now: datetime) -> float | None:
    """Returns the 95th percentile of the minutes that a channel took to hear of sales in the last
    week, or None when nothing was measured.
    """
    recent = (LagSample.channel_id == channel_id, LagSample.at > now - LAGS_OF)
    count = session.scalar(select(func.count()).select_from(LagSample).where(*recent)) or 0
    if not count:
        return None
    place = min(count - 1, int(count * 0.95))
    seconds = session.scalar(
        select(LagSample.seconds).where(*recent).order_by(LagSample.seconds).offset(place).limit(1)
    )
    return None if seconds is None else seconds / 60
