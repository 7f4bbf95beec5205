"""Listings, and bulk jobs with a verdict per row."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict


class Listing(Table):
    """Our offer of one product on one channel.

    `own` are its own field values. What is worked out from the rules is kept beside, so that lists are fast:
    state, gaps, price (minor units), quantity, and a fingerprint of content and pictures, held and sent.
    """

    __tablename__ = "listing"
    __table_args__ = strict(
        UniqueConstraint("channel_id", "product_id"),
        Index("ix_listing_product_id", "product_id"),
        Index("ix_listing_state", "state", "id"),
        Index("ix_listing_ref", "channel_id", "ref"),
        Index("ix_listing_floored", "id", sqlite_where=text("floored = 1")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id"))
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"))
    own: Mapped[dict[str, Any]] = mapped_column(default=dict)
    wish: Mapped[str] = mapped_column(default="none")
    placed: Mapped[bool] = mapped_column(default=False)
    shown: Mapped[bool] = mapped_column(default=False)
    ref: Mapped[str] = mapped_column(default="")
    page: Mapped[str] = mapped_column(default="")
    refusal: Mapped[list[Any]] = mapped_column(default=list)
    state: Mapped[str] = mapped_column(default="draft")
    behind: Mapped[str] = mapped_column(default="")
    gaps: Mapped[list[Any]] = mapped_column(default=list)
    gap_count: Mapped[int] = mapped_column(default=0)
    demands: Mapped[int] = mapped_column(default=0)
    met: Mapped[int] = mapped_column(default=0)
    price: Mapped[int | None]
    floored: Mapped[bool] = mapped_column(default=False)
    quantity: Mapped[int] = mapped_column(default=0)
    held_content: Mapped[str] = mapped_column(default="")
    held_pictures: Mapped[str] = mapped_column(default="")
    sent_content: Mapped[str] = mapped_column(default="")
    sent_pictures: Mapped[str] = mapped_column(default="")
    sent_price: Mapped[int | None]
    sent_quantity: Mapped[int | None]
    created_at: Mapped[datetime]
    changed_at: Mapped[datetime]


class BulkJob(Table):
    """One change to many, running in the background."""

    __tablename__ = "bulk_job"
    __table_args__ = strict(Index("ix_bulk_job_state", "state", "id"))
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    title: Mapped[str]
    state: Mapped[str] = mapped_column(default="running")
    total: Mapped[int] = mapped_column(default=0)
    done: Mapped[int] = mapped_column(default=0)
    refused: Mapped[int] = mapped_column(default=0)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    created_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]


class BulkJobRow(Table):
    """One row of a bulk job and its verdict: waiting, done or refused, with the reason."""

    __tablename__ = "bulk_job_row"
    __table_args__ = strict(Index("ix_bulk_job_row_job_id", "job_id", "position"))
    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("bulk_job.id"))
    position: Mapped[int]
    subject: Mapped[str]
    listing_id: Mapped[int | None] = mapped_column(ForeignKey("listing.id"))
    verdict: Mapped[str] = mapped_column(default="waiting")
    reason: Mapped[str] = mapped_column(default="")
