"""Tables of mail: the texts, and the mails with what became of each."""

from datetime import datetime
from typing import Any

from sqlalchemy import CheckConstraint, ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict

UNFINISHED = text("state IN ('waiting', 'sending')")


class MailTextRow(Table):
    """A text of mails, as `core/mail/texts.py` reads it: for one event, and for one channel or one
    language alone where these are not empty.
    """

    __tablename__ = "mail_text"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    event: Mapped[str]
    channel: Mapped[str] = mapped_column(default="", server_default="")
    language: Mapped[str] = mapped_column(default="", server_default="")
    subject: Mapped[str]
    body: Mapped[str]
    automatic: Mapped[bool]


class MailRow(Table):
    """A mail as it was written, and how far it is (`core/mail/life.py`). `key` is what it tells of,
    so that each thing is told once; `message_id` (RFC 5322) is written before it is sent. `papers` are
    enclosed, each as [kind, number]. A mail to the team has no order and no estimate.
    """

    __tablename__ = "mail"
    __table_args__ = strict(
        CheckConstraint(
            "state IN ('waiting', 'sending', 'sent', 'unsure', 'refused')", name="state"
        ),
        Index("ix_mail_due", "next_at", sqlite_where=UNFINISHED, postgresql_where=UNFINISHED),
        Index("ix_mail_order_id", "order_id", "id"),
        Index("ix_mail_estimate_id", "estimate_id", "id"),
        Index("ix_mail_state", "state", "id"),
        Index("ix_mail_event", "event", "id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(unique=True)
    event: Mapped[str]
    order_id: Mapped[int | None] = mapped_column(ForeignKey("customer_order.id"))
    estimate_id: Mapped[int | None] = mapped_column(ForeignKey("estimate.id"))
    text_id: Mapped[int | None]
    recipient: Mapped[str]
    subject: Mapped[str]
    body: Mapped[str]
    papers: Mapped[list[Any]] = mapped_column(default=list)
    message_id: Mapped[str]
    state: Mapped[str]
    tries: Mapped[int] = mapped_column(default=0)
    next_at: Mapped[datetime]
    answer: Mapped[str] = mapped_column(default="")
    made_at: Mapped[datetime]
    sent_at: Mapped[datetime | None]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
