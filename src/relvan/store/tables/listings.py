"""Listings."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict


class Listing(Table):
    """Our offer of one product on one channel; `alias` is the second SKU that it is offered under, or empty.

    `own` are its own field values. What is worked out from the rules is kept beside, so that lists are fast:
    state, gaps, price (minor units), quantity, and a fingerprint of content and pictures, held and sent. `until` is
    when the channel lets it lapse; `gone` says why the channel no longer shows it, when nobody here asked for that.
    """

    __tablename__ = "listing"
    __table_args__ = strict(
        Index("uq_listing_place", "channel_id", "product_id", "alias", unique=True),
        Index("ix_listing_product_id", "product_id"),
        Index("ix_listing_state", "state", "id"),
        Index("ix_listing_ref", "channel_id", "ref"),
        Index("ix_listing_until", "until", sqlite_where=text("until IS NOT NULL")),
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
    alias: Mapped[str] = mapped_column(default="", server_default="")
    until: Mapped[datetime | None]
    gone: Mapped[str] = mapped_column(default="", server_default="")
