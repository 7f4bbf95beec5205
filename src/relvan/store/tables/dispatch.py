"""Tables of shipments on their way through the warehouse: pick lists, picks, parcels and labels."""

from datetime import datetime
from typing import Any

from sqlalchemy import CheckConstraint, ForeignKey, Index, UniqueConstraint, true
from sqlalchemy.orm import Mapped, mapped_column

from relvan.core.shipping.life import PickListState, ShipmentState
from relvan.store.tables.base import Table, strict
from relvan.store.types import Folded


class Shipment(Table):
    """The part of an order that leaves from one warehouse. One that a marketplace's centre has may be
    wanted back (`recall`); `said` is what the centre said last.
    """

    __tablename__ = "shipment"
    __table_args__ = strict(
        Index("ix_shipment_state", "state", "id"),
        Index("ix_shipment_order_id", "order_id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    number: Mapped[str] = mapped_column(unique=True)
    order_id: Mapped[int] = mapped_column(ForeignKey("customer_order.id"))
    warehouse_id: Mapped[int] = mapped_column(ForeignKey("warehouse.id"))
    state: Mapped[str] = mapped_column(default=ShipmentState.TO_PICK.value)
    created_at: Mapped[datetime]
    dispatched_at: Mapped[datetime | None]
    recall: Mapped[bool] = mapped_column(default=False, server_default="0")
    said: Mapped[str] = mapped_column(default="", server_default="")


class ShipmentLine(Table):
    """Units of an order line in a shipment, how many of them have been picked, and how many were
    scanned at the pack bench for the parcel that is open there."""

    __tablename__ = "shipment_line"
    __table_args__ = strict(
        CheckConstraint("quantity >= 0", name="quantity"),
        CheckConstraint("picked BETWEEN 0 AND quantity", name="picked"),
        Index("ix_shipment_line_shipment_id", "shipment_id"),
        Index("ix_shipment_line_order_line_id", "order_line_id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    shipment_id: Mapped[int] = mapped_column(ForeignKey("shipment.id"))
    order_line_id: Mapped[int] = mapped_column(ForeignKey("order_line.id"))
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"))
    quantity: Mapped[int]
    picked: Mapped[int] = mapped_column(default=0)
    scanned: Mapped[int] = mapped_column(default=0, server_default="0")


class CartonRow(Table):
    """A carton into which goods are packed: its inner lengths in mm, its own weight and the most that it
    may weigh in g, and its cost with carriage in minor units of the firm's currency. `code` is what the
    scanner reads from it. One that is not used any more is not proposed."""

    __tablename__ = "carton"
    __table_args__ = strict(
        CheckConstraint("length_mm > 0 AND width_mm > 0 AND height_mm > 0", name="lengths"),
        CheckConstraint("weight_g >= 0 AND max_weight_g > weight_g", name="weights"),
        CheckConstraint("cost >= 0", name="cost"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    code: Mapped[str] = mapped_column(Folded(), unique=True)
    name: Mapped[str]
    length_mm: Mapped[int]
    width_mm: Mapped[int]
    height_mm: Mapped[int]
    weight_g: Mapped[int]
    max_weight_g: Mapped[int]
    cost: Mapped[int]
    used: Mapped[bool] = mapped_column(default=True, server_default=true())


class ParcelInsert(Table):
    """Something that goes into parcels besides the goods, as `core/packing/inserts.py` reads it."""

    __tablename__ = "parcel_insert"
    id: Mapped[int] = mapped_column(primary_key=True)
    told: Mapped[dict[str, Any]]


class PickList(Table):
    """One round through one warehouse for one or more shipments. `kind` is one, many or totes, and
    `sort` is place, sku or order (`core/picking/lists.py`); `person_id` is who picks it.
    """

    __tablename__ = "pick_list"
    __table_args__ = strict(Index("ix_pick_list_state", "state", "id"))
    id: Mapped[int] = mapped_column(primary_key=True)
    number: Mapped[str] = mapped_column(unique=True)
    warehouse_id: Mapped[int] = mapped_column(ForeignKey("warehouse.id"))
    state: Mapped[str] = mapped_column(default=PickListState.OPEN.value)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    created_at: Mapped[datetime]
    finished_at: Mapped[datetime | None]
    name: Mapped[str] = mapped_column(default="", server_default="")
    kind: Mapped[str] = mapped_column(default="many", server_default="many")
    sort: Mapped[str] = mapped_column(default="place", server_default="place")


class Pick(Table):
    """One line of a pick list. `picked` is empty until it has been done, and less than asked after
    a short pick. `tote` is the number of the tote into which it goes, on lists with totes;
    `instead_of` is the id of a short pick whose missing units are taken from this bin instead.
    """

    __tablename__ = "pick"
    __table_args__ = strict(
        CheckConstraint("quantity > 0", name="quantity"),
        CheckConstraint("picked IS NULL OR picked BETWEEN 0 AND quantity", name="picked"),
        Index("ix_pick_pick_list_id", "pick_list_id", "position"),
        Index("ix_pick_shipment_line_id", "shipment_line_id"),
        Index("ix_pick_bin_id", "bin_id"),
        Index("ix_pick_instead_of", "instead_of"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    pick_list_id: Mapped[int] = mapped_column(ForeignKey("pick_list.id"))
    position: Mapped[int]
    shipment_line_id: Mapped[int] = mapped_column(ForeignKey("shipment_line.id"))
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"))
    bin_id: Mapped[int | None] = mapped_column(ForeignKey("bin.id"))
    quantity: Mapped[int]
    picked: Mapped[int | None]
    picked_at: Mapped[datetime | None]
    tote: Mapped[int | None]
    instead_of: Mapped[int | None]


class ScanEvent(Table):
    """Something that was scanned or pressed on a phone while picking, once by its key: `kind` is pick,
    undo, wrong (a scan that the phone refused) or elsewhere (what a pick lacks is sent from another
    warehouse). `said` is what was answered when it could not be
    done; empty when it was."""

    __tablename__ = "scan_event"
    __table_args__ = strict(
        CheckConstraint("kind IN ('pick', 'undo', 'wrong', 'elsewhere')", name="kind"),
        Index("ix_scan_event_pick_list_id", "pick_list_id"),
    )
    key: Mapped[str] = mapped_column(primary_key=True)
    pick_list_id: Mapped[int] = mapped_column(ForeignKey("pick_list.id"))
    pick_id: Mapped[int]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    kind: Mapped[str]
    said: Mapped[str] = mapped_column(default="")
    scanned_at: Mapped[datetime]
    at: Mapped[datetime]


class Parcel(Table):
    """One box of a shipment with one label. Weight is in grams, the price in minor units.

    `label_key` is the reference under which the label is bought. It is written before the carrier
    is asked, so that a lost answer is looked up and the label is never paid twice. `arrives_on` is the
    day that the carrier promised, `stage` how far it has come (`core/shipping/tracking.py`), `late_at`
    when it was first found late, and `charged` what the carrier's bill says.
    """

    __tablename__ = "parcel"
    __table_args__ = strict(
        CheckConstraint("weight_g > 0", name="weight"),
        Index("ix_parcel_shipment_id", "shipment_id"),
        Index("ix_parcel_tracking_number", "tracking_number"),
        Index("ix_parcel_manifest_id", "manifest_id"),
        Index("ix_parcel_stage", "stage", "tracked_at"),
        Index("ix_parcel_late_at", "late_at"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    shipment_id: Mapped[int] = mapped_column(ForeignKey("shipment.id"))
    position: Mapped[int]
    weight_g: Mapped[int]
    carton: Mapped[str] = mapped_column(default="")
    label_key: Mapped[str | None] = mapped_column(unique=True)
    carrier_id: Mapped[int | None] = mapped_column(ForeignKey("carrier.id"))
    service: Mapped[str] = mapped_column(default="")
    price: Mapped[int | None]
    currency: Mapped[str] = mapped_column(default="")
    tracking_number: Mapped[str | None]
    track_address: Mapped[str] = mapped_column(default="")
    label_file: Mapped[str] = mapped_column(default="")
    created_at: Mapped[datetime]
    manifest_id: Mapped[int | None] = mapped_column(ForeignKey("manifest.id"))
    signature: Mapped[bool] = mapped_column(default=False, server_default="0")
    insured: Mapped[bool] = mapped_column(default=False, server_default="0")
    arrives_on: Mapped[str | None]
    stage: Mapped[str] = mapped_column(default="announced", server_default="announced")
    stage_at: Mapped[datetime | None]
    tracked_at: Mapped[datetime | None]
    late_at: Mapped[datetime | None]
    charged: Mapped[int | None]
    charge_reason: Mapped[str] = mapped_column(default="", server_default="")
    claim_state: Mapped[str] = mapped_column(default="", server_default="")
    claim_amount: Mapped[int | None]
    claim_note: Mapped[str] = mapped_column(default="", server_default="")
    claimed_at: Mapped[datetime | None]


class ParcelEvent(Table):
    """Something that a carrier says has happened to a parcel, once."""

    __tablename__ = "parcel_event"
    __table_args__ = strict(UniqueConstraint("parcel_id", "at", "stage"))
    id: Mapped[int] = mapped_column(primary_key=True)
    parcel_id: Mapped[int] = mapped_column(ForeignKey("parcel.id", ondelete="CASCADE"))
    at: Mapped[datetime]
    stage: Mapped[str]
    words: Mapped[str]


class Manifest(Table):
    """The parcels that a carrier takes from a warehouse at once. `key` is the reference under which it is
    asked for; it is written before the carrier is asked, and `carrier_number` when it has answered."""

    __tablename__ = "manifest"
    __table_args__ = strict(Index("ix_manifest_carrier_id", "carrier_id", "id"))
    id: Mapped[int] = mapped_column(primary_key=True)
    number: Mapped[str] = mapped_column(unique=True)
    carrier_id: Mapped[int] = mapped_column(ForeignKey("carrier.id"))
    warehouse_id: Mapped[int] = mapped_column(ForeignKey("warehouse.id"))
    key: Mapped[str] = mapped_column(unique=True)
    carrier_number: Mapped[str] = mapped_column(default="")
    billed_at: Mapped[datetime | None]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    created_at: Mapped[datetime]


class ParcelLine(Table):
    """Units of a product in a parcel."""

    __tablename__ = "parcel_line"
    __table_args__ = strict(
        UniqueConstraint("parcel_id", "shipment_line_id"),
        CheckConstraint("quantity > 0", name="quantity"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    parcel_id: Mapped[int] = mapped_column(ForeignKey("parcel.id", ondelete="CASCADE"))
    shipment_line_id: Mapped[int] = mapped_column(ForeignKey("shipment_line.id"))
    quantity: Mapped[int]
