"""Tables of webhooks and of the messages that they are still to be sent."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column

from relvan.core.webhooks.announcing import AnnouncementState
from relvan.store.tables.base import Table, strict


class Webhook(Table):
    """A tool of the seller's own that is told of changes at its `address`. Its `secret` is
    encrypted; `failures` counts those in a row, and until `rests_until` nothing is tried.
    """

    __tablename__ = "webhook"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    address: Mapped[str]
    secret: Mapped[str]
    matters: Mapped[list[Any]]
    active: Mapped[bool] = mapped_column(default=True)
    failures: Mapped[int] = mapped_column(default=0)
    rests_until: Mapped[datetime | None]
    trouble: Mapped[str] = mapped_column(default="")
    heard_at: Mapped[datetime | None]
    made_at: Mapped[datetime]


class Announcement(Table):
    """One change of which a webhook is to be told: which matter and which subject (the id of a
    product or listing, the number of an order). The message is put together when it is sent, so one
    that waited always has the newest state.
    """

    __tablename__ = "announcement"
    __table_args__ = strict(
        Index(
            "uq_announcement_waiting",
            "webhook_id",
            "matter",
            "subject",
            unique=True,
            sqlite_where=text("state = 'waiting'"),
            postgresql_where=text("state = 'waiting'"),
        ),
        Index("ix_announcement_due", "webhook_id", "state", "id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    webhook_id: Mapped[int] = mapped_column(ForeignKey("webhook.id", ondelete="CASCADE"))
    matter: Mapped[str]
    subject: Mapped[str]
    key: Mapped[str] = mapped_column(unique=True)
    state: Mapped[str] = mapped_column(default=AnnouncementState.WAITING.value)
    taken_until: Mapped[datetime | None]
    made_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
