"""Queries over texts of mails, and over mails."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from relvan.core.mail.life import MailState
from relvan.core.mail.texts import MailEvent, MailText
from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.portable import insert_into
from relvan.store.rows import rows_as
from relvan.store.tables import Estimate, MailRow, MailTextRow, Order, OrderLine


def mail_texts(session: Session) -> list[MailText]:
    """Returns every text, in the order of their names."""
    rows = session.scalars(select(MailTextRow).order_by(MailTextRow.name, MailTextRow.id))
    return [text_of_row(row) for row in rows]


def texts_for_orders(session: Session) -> list[MailText]:
    """Returns the texts that can be mailed about an order, in the order of their names."""
    return [text for text in mail_texts(session) if text.event != MailEvent.ESTIMATE]


def text_of_row(row: MailTextRow) -> MailText:
    """Returns a text that was saved."""
    return MailText(
        row.name,
        MailEvent(row.event),
        row.subject,
        row.body,
        row.channel,
        row.language,
        row.automatic,
        row.id,
    )


def mail_text_row(session: Session, text_id: int) -> MailTextRow:
    """Returns the row of a text by its id."""
    row = session.get(MailTextRow, text_id)
    if row is None:
        raise not_found("text", text_id)
    return row


def mail_by_id(session: Session, mail_id: int) -> MailRow:
    """Returns a mail by its id."""
    row = session.get(MailRow, mail_id)
    if row is None:
        raise not_found("mail", mail_id)
    return row


def add_mails(session: Session, rows: Sequence[dict[str, Any]]) -> None:
    """Adds mails; one whose key is there already is not added again."""
    for row in rows:
        session.execute(
            insert_into(session, MailRow)
            .values(**row)
            .on_conflict_do_nothing(index_elements=[MailRow.key])
        )


def due_mails(session: Session, now: datetime, limit: int) -> list[MailRow]:
    """Returns the next mails that may be sent now, the oldest first."""
    wanted = select(MailRow).where(MailRow.state == MailState.WAITING, MailRow.next_at <= now)
    return list(session.scalars(wanted.order_by(MailRow.next_at, MailRow.id).limit(limit)))


def lost_mails(session: Session, now: datetime) -> list[MailRow]:
    """Returns mails that a worker took and never settled; `next_at` is the end of its lease."""
    wanted = select(MailRow).where(MailRow.state == MailState.SENDING, MailRow.next_at < now)
    return list(session.scalars(wanted))


def next_mail_at(session: Session) -> datetime | None:
    """Returns when the next mail is due, or None when none waits."""
    unfinished = MailRow.state.in_((MailState.WAITING, MailState.SENDING))
    return session.scalar(select(func.min(MailRow.next_at)).where(unfinished))


def mails_of_order(session: Session, order_id: int) -> list[MailRow]:
    """Returns the mails of an order, and those of the estimate that it was, the oldest first."""
    estimate = select(Order.estimate_id).where(Order.id == order_id).scalar_subquery()
    wanted = select(MailRow).where(
        or_(MailRow.order_id == order_id, MailRow.estimate_id == estimate)
    )
    return list(session.scalars(wanted.order_by(MailRow.id)))


def mails_of_estimate(session: Session, estimate_id: int) -> list[MailRow]:
    """Returns the mails of an estimate, the oldest first."""
    wanted = select(MailRow).where(MailRow.estimate_id == estimate_id).order_by(MailRow.id)
    return list(session.scalars(wanted))


def earlier_ids(session: Session, mail: MailRow) -> list[str]:
    """Returns the message ids of the mails of the same order or estimate that were written before,
    the oldest first."""
    if mail.order_id is not None:
        found = mails_of_order(session, mail.order_id)
    elif mail.estimate_id is not None:
        found = mails_of_estimate(session, mail.estimate_id)
    else:
        found = []
    return [row.message_id for row in found if row.id < mail.id]


def mailed_lately(
    session: Session, order_ids: Collection[int], text_id: int, since: datetime
) -> set[int]:
    """Returns the orders for which a mail of a text was written since a moment."""
    wanted = select(MailRow.order_id).where(
        among(MailRow.order_id, order_ids), MailRow.text_id == text_id, MailRow.made_at > since
    )
    return {order_id for order_id in session.scalars(wanted) if order_id is not None}


@dataclass(frozen=True)
class MailListRow:
    """A mail in a list, with the number of its order or estimate."""

    id: int
    event: str
    order: str | None
    estimate: str | None
    recipient: str
    subject: str
    state: str
    answer: str
    made_at: datetime
    sent_at: datetime | None


def mail_page(
    session: Session, *, state: str = "", after: int = 0, limit: int = 50
) -> list[MailListRow]:
    """Returns mails, the newest first."""
    wanted = (
        select(
            MailRow.id,
            MailRow.event,
            Order.number,
            Estimate.number,
            MailRow.recipient,
            MailRow.subject,
            MailRow.state,
            MailRow.answer,
            MailRow.made_at,
            MailRow.sent_at,
        )
        .outerjoin(Order, Order.id == MailRow.order_id)
        .outerjoin(Estimate, Estimate.id == MailRow.estimate_id)
    )
    if state:
        wanted = wanted.where(MailRow.state == state)
    if after:
        wanted = wanted.where(MailRow.id < after)
    return rows_as(MailListRow, session, wanted.order_by(MailRow.id.desc()).limit(limit))


def last_mail_of(session: Session, event: str) -> tuple[datetime, str] | None:
    """Returns when the last mail of an event was written, and its key."""
    wanted = select(MailRow.made_at, MailRow.key).where(MailRow.event == event)
    row = session.execute(wanted.order_by(MailRow.id.desc()).limit(1)).first()
    return (row[0], row[1]) if row is not None else None


def unknown_lines_after(session: Session, line_id: int, limit: int) -> list[tuple[int, str, str]]:
    """Returns (id of the line, order, SKU) of lines without a product in orders that stand, after a
    line by its id."""
    wanted = (
        select(OrderLine.id, Order.number, OrderLine.sku)
        .join(Order, Order.id == OrderLine.order_id)
        .where(
            OrderLine.id > line_id,
            OrderLine.product_id.is_(None),
            ~OrderLine.is_free,
            Order.cancelled_at.is_(None),
        )
    )
    rows = session.execute(wanted.order_by(OrderLine.id).limit(limit))
    return [(found, number, sku) for found, number, sku in rows]
