"""Tables of channels and carriers, and of the updates that channels are still to be told."""

from datetime import datetime
from typing import Any

from sqlalchemy import REAL, CheckConstraint, ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column

from relvan.core.channels.sending import UpdateState
from relvan.core.channels.subject import UpdateSubject
from relvan.store.tables.base import Table, strict


class Channel(Table):
    """A marketplace or store account on which we sell; its token and webhook secret are encrypted.

    `book` is the edition of its rulebook by which its listings were worked out, as JSON, and
    `currency` the one in which it sells by that edition. `least_margin` is a percentage as text;
    `delivery_cost` is the cost of delivery that its margins count with, in minor units of the
    seller's currency. `mends` lists the topics on which drift is corrected automatically.
    `looked_to` is the reference up to which the present pass over everything it shows has come,
    `pass_began_at` when that pass began, and `passed_at` when the last one ended. While its orders
    cannot be read for `silent_minutes`, it counts as silent, and what it may be selling meanwhile
    is kept back where the buffer is set by risk. `connection` says whether it is connected
    (`core/channels/connection.py`); one that has been disconnected stays for the orders that name
    it. Its orders start in `start_tray`, if it is not empty, and are taken in and
    routed as `order_policy` says (`core/orders/policy.py`).
    """

    __tablename__ = "channel"
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    rulebook: Mapped[str]
    currency: Mapped[str] = mapped_column(default="", server_default="")
    address: Mapped[str]
    token: Mapped[str]
    hook_secret: Mapped[str] = mapped_column(default="")
    price_list_id: Mapped[int] = mapped_column(ForeignKey("price_list.id"))
    price_steps: Mapped[list[Any]] = mapped_column(default=list)
    stock_policy: Mapped[dict[str, Any]] = mapped_column(default=dict)
    connection: Mapped[str] = mapped_column(default="connected", server_default="connected")
    paused: Mapped[bool] = mapped_column(default=False)
    failures: Mapped[int] = mapped_column(default=0)
    last_error: Mapped[str] = mapped_column(default="")
    last_ok_at: Mapped[datetime | None]
    probe_at: Mapped[datetime | None]
    order_mark: Mapped[int] = mapped_column(default=0)
    centre_mark: Mapped[int] = mapped_column(default=0, server_default="0")
    orders_read_at: Mapped[datetime | None]
    silent_minutes: Mapped[int] = mapped_column(default=0, server_default="0")
    book: Mapped[str] = mapped_column(default="", server_default="", deferred=True)
    least_margin: Mapped[str | None]
    delivery_cost: Mapped[int] = mapped_column(default=0, server_default="0")
    mends: Mapped[str] = mapped_column(default="quantity price", server_default="quantity price")
    looked_to: Mapped[str] = mapped_column(default="", server_default="")
    pass_began_at: Mapped[datetime | None]
    passed_at: Mapped[datetime | None]
    start_tray: Mapped[str] = mapped_column(default="", server_default="")
    order_policy: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")


class NearerPolicy(Table):
    """An exception that applies instead of the channel's stock rule: for a category of the seller's
    tree (by its path's key) and those below it, for a product (a family for its variants), or for
    one listing.
    """

    __tablename__ = "nearer_policy"
    __table_args__ = strict(
        CheckConstraint(
            "CASE WHEN category IS NULL THEN 0 ELSE 1 END + CASE WHEN product_id IS NULL THEN 0 ELSE 1 END"
            " + CASE WHEN listing_id IS NULL THEN 0 ELSE 1 END = 1",
            name="one_place",
        ),
        Index("uq_nearer_policy_category", "channel_id", "category", unique=True),
        Index("uq_nearer_policy_product", "channel_id", "product_id", unique=True),
        Index("uq_nearer_policy_listing", "listing_id", unique=True),
        Index(
            "ix_nearer_policy_product_id", "product_id", sqlite_where=text("product_id IS NOT NULL")
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id"))
    category: Mapped[str | None]
    product_id: Mapped[int | None] = mapped_column(ForeignKey("product.id", ondelete="CASCADE"))
    listing_id: Mapped[int | None] = mapped_column(ForeignKey("listing.id", ondelete="CASCADE"))
    policy: Mapped[dict[str, Any]]


class SupplyWarehouse(Table):
    """One warehouse of a channel's supply list, with its place in it."""

    __tablename__ = "supply_warehouse"
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id"), primary_key=True)
    warehouse_id: Mapped[int] = mapped_column(ForeignKey("warehouse.id"), primary_key=True)
    position: Mapped[int]


class Carrier(Table):
    """A carrier account; its token is encrypted. `use` is how the seller uses it
    (`core/shipping/accounts.py`), `services` the names of its services by their keys, as the carrier told
    when the account was last tested."""

    __tablename__ = "carrier"
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    address: Mapped[str]
    token: Mapped[str]
    use: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    services: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")


class CarriageRuleRow(Table):
    """A rule of the seller about which service carries what, as `core/shipping/carriage.py` reads it, with
    its place in the order of rules."""

    __tablename__ = "carriage_rule"
    id: Mapped[int] = mapped_column(primary_key=True)
    position: Mapped[int]
    rule: Mapped[dict[str, Any]]


class OutboxEntry(Table):
    """One thing to tell a channel, kept until it has been accepted, refused or replaced.

    At most one update waits for each (channel, subject, topic). One that is being sent is never
    overwritten, and the next on its topic is sent only when it has been answered, or when
    `taken_until` is over. `caused_at` is when the sale behind it became known, for the delay. On a
    channel that answers by sheet an update is `handed in` under the number of its `sheet` until the
    reply has been read.
    """

    __tablename__ = "outbox_entry"
    __table_args__ = strict(
        Index(
            "uq_outbox_entry_waiting",
            "channel_id",
            "subject",
            "topic",
            unique=True,
            sqlite_where=text("state = 'waiting'"),
            postgresql_where=text("state = 'waiting'"),
        ),
        Index("ix_outbox_entry_due", "state", "channel_id", "urgency", "due_at"),
        Index("ix_outbox_entry_listing_id", "listing_id"),
        Index(
            "ix_outbox_entry_subject",
            "subject",
            sqlite_where=text("listing_id IS NULL"),
            postgresql_where=text("listing_id IS NULL"),
        ),
        Index(
            "ix_outbox_entry_open",
            "listing_id",
            sqlite_where=text("ended_at IS NULL"),
            postgresql_where=text("ended_at IS NULL"),
        ),
        Index(
            "ix_outbox_entry_under_way",
            "channel_id",
            "subject",
            "topic",
            sqlite_where=text("state IN ('sending', 'handed in')"),
            postgresql_where=text("state IN ('sending', 'handed in')"),
        ),
        Index(
            "ix_outbox_entry_sheet", "channel_id", "sheet", sqlite_where=text("state = 'handed in'")
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id"))
    subject: Mapped[UpdateSubject]
    topic: Mapped[str]
    urgency: Mapped[int]
    payload: Mapped[dict[str, Any]] = mapped_column(default=dict)
    state: Mapped[str] = mapped_column(default=UpdateState.WAITING.value)
    unsure: Mapped[bool] = mapped_column(default=False)
    attempts: Mapped[int] = mapped_column(default=0)
    due_at: Mapped[datetime]
    key: Mapped[str] = mapped_column(unique=True)
    listing_id: Mapped[int | None] = mapped_column(ForeignKey("listing.id"))
    job_row_id: Mapped[int | None] = mapped_column(ForeignKey("bulk_job_row.id"))
    caused_at: Mapped[datetime | None]
    created_at: Mapped[datetime]
    taken_by: Mapped[str] = mapped_column(default="")
    taken_until: Mapped[datetime | None]
    ended_at: Mapped[datetime | None]
    answer: Mapped[str] = mapped_column(default="")
    sheet: Mapped[str] = mapped_column(default="", server_default="")
    sent: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")


class Drift(Table):
    """A difference between what a channel shows of a listing and what it last accepted, on one
    topic. One look sees it and the next one confirms it. `ended_at` and `how` say when and how it
    ended: sent again, left as it is, or gone by itself.
    """

    __tablename__ = "drift"
    __table_args__ = strict(
        Index(
            "uq_drift_open",
            "listing_id",
            "topic",
            unique=True,
            sqlite_where=text("ended_at IS NULL"),
            postgresql_where=text("ended_at IS NULL"),
        ),
        Index("ix_drift_channel_id", "channel_id", "ended_at", "id"),
        Index("ix_drift_listing_id", "listing_id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id"))
    listing_id: Mapped[int] = mapped_column(ForeignKey("listing.id", ondelete="CASCADE"))
    topic: Mapped[str]
    ours: Mapped[str]
    theirs: Mapped[str]
    seen_at: Mapped[datetime]
    confirmed_at: Mapped[datetime | None]
    ended_at: Mapped[datetime | None]
    how: Mapped[str] = mapped_column(default="")


class LagSample(Table):
    """Seconds from the moment a sale was known until a channel had accepted the new quantity."""

    __tablename__ = "lag_sample"
    __table_args__ = strict(Index("ix_lag_sample_channel_id", "channel_id", "at"))
    id: Mapped[int] = mapped_column(primary_key=True)
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id"))
    at: Mapped[datetime]
    seconds: Mapped[float] = mapped_column(REAL)
