"""Queries over what lies before the team about orders: notices, and what was chosen about them."""

from collections.abc import Collection
from datetime import datetime

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from relvan.core.orders.late_changes import LateChoice, NoticeKind
from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.tables import OrderNotice

_OPEN = OrderNotice.choice.is_(None)


def add_notice(session: Session, order_id: int, words: str, at: datetime) -> None:
    """Lays something about an order before the team, unless the same lies there already."""
    same = (OrderNotice.order_id == order_id, OrderNotice.words == words, _OPEN)
    if session.scalar(select(OrderNotice.id).where(*same)) is None:
        session.add(OrderNotice(order_id=order_id, words=words, at=at))


def put_late_notice(session: Session, told: OrderNotice) -> None:
    """Lays a late change of an order before the team, in place of what lay there of the same kind and
    line."""
    same = (OrderNotice.order_id == told.order_id, OrderNotice.kind == told.kind, _OPEN)
    session.execute(delete(OrderNotice).where(*same, OrderNotice.line == told.line))
    session.add(told)


def shrink_late_notice(session: Session, order_id: int, line: int, units: int) -> None:
    """Lowers what a buyer took off a line too late by units that are taken off after all; a notice of
    which none are left is deleted."""
    same = (OrderNotice.order_id == order_id, OrderNotice.kind == NoticeKind.TAKEN_OFF, _OPEN)
    row = session.scalar(select(OrderNotice).where(*same, OrderNotice.line == line))
    if row is not None and row.units <= units:
        session.delete(row)
    elif row is not None:
        row.units -= units


def notices_of(session: Session, order_id: int) -> list[OrderNotice]:
    """Returns what lies before the team about an order, the newest first."""
    wanted = select(OrderNotice).where(OrderNotice.order_id == order_id, _OPEN)
    return list(session.scalars(wanted.order_by(OrderNotice.id.desc())))


def notice_by_id(session: Session, order_id: int, notice_id: int) -> OrderNotice:
    """Returns a notice of an order, whether something was chosen about it or not."""
    wanted = (OrderNotice.order_id == order_id, OrderNotice.id == notice_id)
    row = session.scalar(select(OrderNotice).where(*wanted))
    if row is None:
        raise not_found("notice", notice_id)
    return row


def was_decided(session: Session, order_id: int, kind: NoticeKind) -> bool:
    """Says whether a person has chosen what follows from a late change of this kind."""
    wanted = (OrderNotice.order_id == order_id, OrderNotice.kind == kind)
    found = select(OrderNotice.id).where(*wanted, OrderNotice.choice.is_not(None))
    return session.scalar(found.limit(1)) is not None


def decided_units(session: Session, order_id: int) -> dict[int, int]:
    """Returns how many units a person decided to leave on the lines of an order though their buyer took
    them off, by the positions of the lines."""
    wanted = (OrderNotice.order_id == order_id, OrderNotice.kind == NoticeKind.TAKEN_OFF)
    found = select(OrderNotice.line, func.sum(OrderNotice.units)).where(
        *wanted, OrderNotice.choice != LateChoice.TAKE_OFF
    )
    return {line: int(units) for line, units in session.execute(found.group_by(OrderNotice.line))}


def delete_notices(session: Session, ids: Collection[int]) -> None:
    """Deletes notices that somebody has seen."""
    session.execute(delete(OrderNotice).where(among(OrderNotice.id, ids)))
