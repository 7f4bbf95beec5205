"""A seller's own tools that listen, and what they are still to be told."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column

from relvan.core.webhooks.announcing import AnnouncementState
from relvan.store.tables.base import Table, strict


class Webhook(Table):
    """A tool of the seller's that hears of changes at its `address`. Its `secret` is sealed;
    `failures` are in a row, and until `rests_until` nothing is tried."""

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
    """One change that a webhook is to hear of: which matter and which thing (the id of a product
    or listing, the number of an order). What is said is put together when it is sent, so one that
    waits always says the newest."""

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
