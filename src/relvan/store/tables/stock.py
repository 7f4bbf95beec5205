"""Tables of warehouses, bins, the ledger of movements, and the balances stored beside it."""

from datetime import datetime
from typing import Any

from sqlalchemy import CheckConstraint, ForeignKey, Index, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict


class Warehouse(Table):
    """A place with stock, of our own or a marketplace's centre, and the address from which its
    parcels are sent. `pick_up` has the days on which carriers call, 0 for Monday, and until when a
    parcel leaves on the same day, as HH:MM. `safety` is the safety stock of a product that is new
    there. A centre names the key of its channel and what that calls it (`centre`), whether it takes
    whole orders only (`takes`: whole or part), and whether orders get there by-itself or by-hand.
    `plan` has its aisles (`core/picking/places.py`), and `bin_rule` says which of several bins is
    emptied first. `bench_scan` says what is scanned when a parcel is packed: none, some or all.
    """

    __tablename__ = "warehouse"
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    address: Mapped[dict[str, Any]] = mapped_column(default=dict)
    kind: Mapped[str] = mapped_column(default="own")
    pick_up: Mapped[dict[str, Any]] = mapped_column(default=dict)
    safety: Mapped[int] = mapped_column(default=0, server_default="0")
    channel: Mapped[str] = mapped_column(default="", server_default="")
    centre: Mapped[str] = mapped_column(default="", server_default="")
    takes: Mapped[str] = mapped_column(default="part", server_default="part")
    hand_over: Mapped[str] = mapped_column(default="by-hand", server_default="by-hand")
    plan: Mapped[dict[str, Any] | None]
    bin_rule: Mapped[str] = mapped_column(default="empties", server_default="empties")
    bench_scan: Mapped[str] = mapped_column(default="all", server_default="all")


class Bin(Table):
    """A shelf position; `walk` is its place in the order of the way through the warehouse. A closed
    bin takes no more goods. `purpose` is pick or reserve: goods are picked from reserve bins only
    when the others have too few. `capacity` is in units, where it is known.
    """

    __tablename__ = "bin"
    __table_args__ = strict(
        UniqueConstraint("warehouse_id", "code"),
        Index("ix_bin_way", "warehouse_id", "closed", "purpose", "walk", "code"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    warehouse_id: Mapped[int] = mapped_column(ForeignKey("warehouse.id"))
    code: Mapped[str]
    walk: Mapped[int]
    closed: Mapped[bool] = mapped_column(default=False)
    purpose: Mapped[str] = mapped_column(default="pick", server_default="pick")
    capacity: Mapped[int | None]


class Movement(Table):
    """One entry of the ledger: units added to on hand and to blocked. A negative number takes units
    away. `use_by` is the day (ISO 8601) by which the units must be used, where it is known.
    """

    __tablename__ = "movement"
    __table_args__ = strict(
        CheckConstraint(
            "on_hand <> 0 OR blocked <> 0 OR reason IN ('count', 'opening', 'undo')", name="moves"
        ),
        Index("ix_movement_product_id", "product_id", "id", "at", "on_hand", "reason"),
        Index("ix_movement_shipment_id", "shipment_id"),
        Index("ix_movement_reason", "reason", "id"),
        Index("ix_movement_warehouse_id", "warehouse_id", "id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"))
    warehouse_id: Mapped[int] = mapped_column(ForeignKey("warehouse.id"))
    bin_id: Mapped[int] = mapped_column(ForeignKey("bin.id"))
    reason: Mapped[str]
    on_hand: Mapped[int] = mapped_column(default=0)
    blocked: Mapped[int] = mapped_column(default=0)
    note: Mapped[str] = mapped_column(default="")
    use_by: Mapped[str | None]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    shipment_id: Mapped[int | None] = mapped_column(ForeignKey("shipment.id"))
    request_key: Mapped[str | None] = mapped_column(unique=True)


class Balance(Table):
    """The sums of the ledger and the reservations by product and warehouse; `safety` is set by a
    person.
    """

    __tablename__ = "balance"
    __table_args__ = strict(
        CheckConstraint("on_hand >= 0", name="on_hand"),
        CheckConstraint("reserved >= 0", name="reserved"),
        CheckConstraint("blocked >= 0", name="blocked"),
        CheckConstraint("safety >= 0", name="safety"),
        Index("ix_balance_warehouse_id", "warehouse_id", "product_id"),
        Index(
            "ix_balance_safety",
            "warehouse_id",
            "safety",
            sqlite_where=text("safety > 0"),
            postgresql_where=text("safety > 0"),
        ),
        Index("ix_balance_blocked", "product_id", sqlite_where=text("blocked > 0")),
        Index(
            "ix_balance_free",
            "product_id",
            "on_hand",
            "reserved",
            "blocked",
            "safety",
            sqlite_where=text("on_hand - reserved - blocked - safety > 0"),
            postgresql_where=text("on_hand - reserved - blocked - safety > 0"),
        ),
    )
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"), primary_key=True)
    warehouse_id: Mapped[int] = mapped_column(ForeignKey("warehouse.id"), primary_key=True)
    on_hand: Mapped[int] = mapped_column(default=0)
    reserved: Mapped[int] = mapped_column(default=0)
    blocked: Mapped[int] = mapped_column(default=0)
    safety: Mapped[int] = mapped_column(default=0)


class BinBalance(Table):
    """The sums of the ledger by bin. `use_by` is the earliest day (ISO 8601) by which units of it must be
    used, as far as one is known."""

    __tablename__ = "bin_balance"
    __table_args__ = strict(
        CheckConstraint("on_hand >= 0", name="on_hand"),
        CheckConstraint("blocked >= 0", name="blocked"),
        Index("ix_bin_balance_product_id", "product_id"),
    )
    bin_id: Mapped[int] = mapped_column(ForeignKey("bin.id"), primary_key=True)
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"), primary_key=True)
    on_hand: Mapped[int] = mapped_column(default=0)
    blocked: Mapped[int] = mapped_column(default=0)
    use_by: Mapped[str | None]


class ExpectedReceipt(Table):
    """Units of a product that are to come into a warehouse by a day (ISO 8601), and how many have
    come."""

    __tablename__ = "expected_receipt"
    __table_args__ = strict(
        CheckConstraint("quantity > 0", name="quantity"),
        CheckConstraint("received >= 0", name="received"),
        Index("ix_expected_receipt_product_id", "product_id"),
        Index("ix_expected_receipt_due", "due", sqlite_where=text("ended_at IS NULL")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"))
    warehouse_id: Mapped[int] = mapped_column(ForeignKey("warehouse.id"))
    quantity: Mapped[int]
    received: Mapped[int] = mapped_column(default=0)
    due: Mapped[str]
    note: Mapped[str] = mapped_column(default="")
    made_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    request_key: Mapped[str | None] = mapped_column(unique=True)


class Transfer(Table):
    """Units of a product on their way from one warehouse to another, in transit until they are
    received. What never arrived is `lost` when the transfer is closed.
    """

    __tablename__ = "transfer"
    __table_args__ = strict(
        CheckConstraint("quantity > 0", name="quantity"),
        CheckConstraint("received BETWEEN 0 AND quantity", name="received"),
        CheckConstraint("from_id <> to_id", name="elsewhere"),
        Index("ix_transfer_product_id", "product_id"),
        Index("ix_transfer_open", "id", sqlite_where=text("ended_at IS NULL")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"))
    from_id: Mapped[int] = mapped_column(ForeignKey("warehouse.id"))
    to_id: Mapped[int] = mapped_column(ForeignKey("warehouse.id"))
    quantity: Mapped[int]
    received: Mapped[int] = mapped_column(default=0)
    lost: Mapped[int] = mapped_column(default=0)
    note: Mapped[str] = mapped_column(default="")
    sent_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    request_key: Mapped[str | None] = mapped_column(unique=True)
