"""Tables of orders, their lines, and the stock reserved for them."""

from datetime import datetime
from typing import Any

from sqlalchemy import CheckConstraint, ForeignKey, Index, UniqueConstraint, false, text, true
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict
from relvan.store.types import Folded

# the columns by which orders stand alike, in the order of the facts in `core/orders/facts.py`
STANDING = (
    *("tray", "fact_reserved", "fact_picked", "fact_shipped"),
    *("fact_invoiced", "fact_paid"),
)

# orders that wait for somebody, in the words in which SQLite finds their index again
WAITS = "aside_until IS NULL AND tray NOT IN ('closed', 'cancelled')"


class Order(Table):
    """A customer's order; amounts are in minor units. It is taken once by (channel, channel's
    number).

    Its progress is worked out from its lines and stored beside it, so that lists are fast. `tray` is
    chosen by a person, a rule or as `core/orders/trays.py` says, and `tray_since` is when it came
    there. A person may set it aside (`aside_reason`) until a day (ISO 8601), or assign it to
    somebody. `country` is worked out from `ship_to`; `told_address` is the mark of the address that
    the channel told last (`core/orders/intake.py`), and empty while that is `ship_to`.

    With `with_tax` its prices have the tax inside, and `tax_kind` says why it is taxed as it is
    (`core/orders/tax_case.py`); `paid` is the sum of its payments that count, and
    `delivery_invoiced` how much of the delivery charge stands on invoices; `credited` is what was
    given back by credit notes and is not to be paid any more. `routed` keeps what was considered
    when its warehouses were chosen.

    `estimate_id` names the estimate that became this order, and `promised_on` is the day by which it
    was promised. `overridden` has the reasons for warnings by their codes, and `secret` opens its
    page for the customer. Where a person chose the only warehouse it may leave from, that is
    `warehouse_id`.
    """

    __tablename__ = "customer_order"
    __table_args__ = strict(
        UniqueConstraint("channel_id", "channel_number"),
        Index("ix_customer_order_tray", "tray", "id"),
        Index("ix_customer_order_channel_id", "channel_id", "id"),
        Index("ix_customer_order_customer", "customer"),
        Index("ix_customer_order_placed_at", "placed_at"),
        Index(
            "ix_customer_order_not_reserved",
            "fact_reserved",
            "id",
            sqlite_where=text("cancelled_at IS NULL"),
            postgresql_where=text("cancelled_at IS NULL"),
        ),
        Index("ix_customer_order_channel_number", "channel_number"),
        Index(
            "ix_customer_order_waiting",
            "tray",
            sqlite_where=text("aside_until IS NULL"),
            postgresql_where=text("aside_until IS NULL"),
        ),
        Index(
            "ix_customer_order_aside_until",
            "aside_until",
            sqlite_where=text("aside_until IS NOT NULL"),
            postgresql_where=text("aside_until IS NOT NULL"),
        ),
        Index("ix_customer_order_country", "country", "id"),
        Index(
            "ix_customer_order_standing",
            text("(" + " || ' ' || ".join(STANDING) + ")"),
            text("coalesce(channel_id, 0)"),
            "country",
        ),
        Index("ix_customer_order_channel", text("coalesce(channel_id, 0)"), "id"),
        Index("ix_customer_order_since", text("coalesce(tray_since, taken_at)"), "id"),
        Index(
            "ix_customer_order_stuck",
            *("tray", "currency", "total", "tray_since"),
            sqlite_where=text(WAITS),
            postgresql_where=text(WAITS),
        ),
        Index("ix_customer_order_units", "units", "id"),
        Index("ix_customer_order_total", "total", "id"),
        Index("ix_customer_order_words", "words", "id"),
        Index(
            "ix_customer_order_assigned_id",
            "assigned_id",
            "id",
            sqlite_where=text("assigned_id IS NOT NULL"),
            postgresql_where=text("assigned_id IS NOT NULL"),
        ),
        Index(
            "ix_customer_order_promised_on",
            "promised_on",
            sqlite_where=text("promised_on IS NOT NULL"),
            postgresql_where=text("promised_on IS NOT NULL"),
        ),
        Index("ix_customer_order_tray_since", "tray", "tray_since"),
        Index(
            "ix_customer_order_customer_id",
            "customer_id",
            "id",
            sqlite_where=text("customer_id IS NOT NULL"),
            postgresql_where=text("customer_id IS NOT NULL"),
        ),
        Index(
            "ix_customer_order_warehouse_id",
            "warehouse_id",
            sqlite_where=text("warehouse_id IS NOT NULL"),
            postgresql_where=text("warehouse_id IS NOT NULL"),
        ),
        Index(
            "ix_customer_order_reference",
            "reference",
            sqlite_where=text("reference <> ''"),
            postgresql_where=text("reference <> ''"),
        ),
        Index(
            "ix_customer_order_secret",
            "secret",
            sqlite_where=text("secret <> ''"),
            postgresql_where=text("secret <> ''"),
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    number: Mapped[str] = mapped_column(Folded(), unique=True)
    channel_id: Mapped[int | None] = mapped_column(ForeignKey("channel.id"))
    channel_number: Mapped[str | None] = mapped_column(Folded())
    channel_mark: Mapped[int] = mapped_column(default=0)
    tray: Mapped[str]
    customer: Mapped[str] = mapped_column(Folded())
    ship_to: Mapped[dict[str, Any]]
    currency: Mapped[str]
    delivery_price: Mapped[int] = mapped_column(default=0)
    total: Mapped[int]
    paid: Mapped[int] = mapped_column(default=0)
    units: Mapped[int]
    placed_at: Mapped[datetime]
    taken_at: Mapped[datetime]
    cancelled_at: Mapped[datetime | None]
    fact_reserved: Mapped[str] = mapped_column(default="none")
    fact_picked: Mapped[str] = mapped_column(default="none")
    fact_shipped: Mapped[str] = mapped_column(default="none")
    fact_invoiced: Mapped[str] = mapped_column(default="none")
    fact_paid: Mapped[str] = mapped_column(default="none")
    words: Mapped[str] = mapped_column(default="")
    country: Mapped[str] = mapped_column(default="", server_default="")
    tray_since: Mapped[datetime | None]
    aside_until: Mapped[str | None]
    aside_reason: Mapped[str] = mapped_column(default="", server_default="")
    assigned_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    with_tax: Mapped[bool] = mapped_column(default=True, server_default=true())
    bill_to: Mapped[dict[str, Any] | None]
    tax_number: Mapped[str] = mapped_column(default="", server_default="")
    tax_kind: Mapped[str] = mapped_column(default="home", server_default="home")
    delivery_invoiced: Mapped[int] = mapped_column(default=0, server_default="0")
    credited: Mapped[int] = mapped_column(default=0, server_default="0")
    routed: Mapped[dict[str, Any] | None]
    customer_id: Mapped[int | None] = mapped_column(ForeignKey("customer.id"))
    salesperson_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    warehouse_id: Mapped[int | None] = mapped_column(ForeignKey("warehouse.id"))
    estimate_id: Mapped[int | None] = mapped_column(ForeignKey("estimate.id"))
    reference: Mapped[str] = mapped_column(Folded(), default="", server_default="")
    promised_on: Mapped[str | None]
    secret: Mapped[str] = mapped_column(default="", server_default="")
    overridden: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    told_address: Mapped[str] = mapped_column(default="", server_default="")


class OrderTag(Table):
    """A tag of an order."""

    __tablename__ = "order_tag"
    __table_args__ = strict(Index("ix_order_tag_tag", "tag", "order_id"))
    order_id: Mapped[int] = mapped_column(ForeignKey("customer_order.id"), primary_key=True)
    tag: Mapped[str] = mapped_column(primary_key=True)


class TrayRow(Table):
    """A tray of the order desk, by its key, which stays when it is renamed. `remind_days` is after
    how many days in it an order is reminded of, and `words` what the customer reads meanwhile.
    """

    __tablename__ = "tray"
    key: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    hue: Mapped[str]
    position: Mapped[int]
    remind_days: Mapped[int] = mapped_column(default=0, server_default="0")
    words: Mapped[str] = mapped_column(default="", server_default="")


class OrderRule(Table):
    """A rule of the order desk, as `core/orders/rules.py` reads it, with its place in the order of
    rules.
    """

    __tablename__ = "order_rule"
    id: Mapped[int] = mapped_column(primary_key=True)
    position: Mapped[int]
    rule: Mapped[dict[str, Any]]


class OrderNotice(Table):
    """Something about an order that lies before the team: of the kind *note* until somebody has seen it,
    of another kind until a person has chosen what follows. `line` is the position of the line that it is
    about (0: none) and `units` how many; `choice` stays as what was chosen, so that the same news of the
    channel is not laid before the team again.
    """

    __tablename__ = "order_notice"
    __table_args__ = strict(Index("ix_order_notice_order_id", "order_id"))
    id: Mapped[int] = mapped_column(primary_key=True)
    order_id: Mapped[int] = mapped_column(ForeignKey("customer_order.id"))
    words: Mapped[str]
    at: Mapped[datetime]
    kind: Mapped[str] = mapped_column(default="note", server_default="note")
    line: Mapped[int] = mapped_column(default=0, server_default="0")
    units: Mapped[int] = mapped_column(default=0, server_default="0")
    choice: Mapped[str | None]


class DeskRun(Table):
    """That a rule about waiting, or with the id 0 the reminder of a tray, has seen an order that lies
    in its tray `since` a moment. So it does so once each time the order comes into a tray.
    """

    __tablename__ = "desk_run"
    order_id: Mapped[int] = mapped_column(ForeignKey("customer_order.id"), primary_key=True)
    rule_id: Mapped[int] = mapped_column(primary_key=True)
    since: Mapped[datetime]


class OrderLine(Table):
    """One line: units and the price of one, with tax inside where the order's prices have it.
    `product_id` is empty while the product is unknown, and always of a line that `is_free`: goods or
    work that are no product. `listing_ref` names the listing that was bought. `invoiced` are the units that stand on
    invoices, `tax_worked` is the tax that is worked out where the source of the order gave another one
    (`tax`), `cost` is what one cost when it was sold, and `price_why` why a price was proposed.

    `quantity` is what is still to be sent; `taken_off` are units that were ordered and are not sent.

    The line of a kit is not stocked. Lines of its parts follow it, with `part_of` naming the kit's
    line and a price of 0. `apart` says that these parts may come from different warehouses.
    """

    __tablename__ = "order_line"
    __table_args__ = strict(
        CheckConstraint("quantity >= 0", name="quantity"),
        CheckConstraint("picked BETWEEN 0 AND quantity", name="picked"),
        CheckConstraint("shipped BETWEEN 0 AND quantity", name="shipped"),
        Index("ix_order_line_order_id", "order_id"),
        Index("ix_order_line_product_id", "product_id"),
        Index(
            "ix_order_line_unknown",
            "order_id",
            sqlite_where=text("product_id IS NULL AND NOT is_free"),
            postgresql_where=text("product_id IS NULL AND NOT is_free"),
        ),
        Index("ix_order_line_part_of", "part_of", sqlite_where=text("part_of IS NOT NULL")),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    order_id: Mapped[int] = mapped_column(ForeignKey("customer_order.id"))
    position: Mapped[int]
    channel_line: Mapped[str] = mapped_column(default="")
    sku: Mapped[str]
    title: Mapped[str]
    product_id: Mapped[int | None] = mapped_column(ForeignKey("product.id"))
    stocked: Mapped[bool] = mapped_column(default=True)
    quantity: Mapped[int]
    taken_off: Mapped[int] = mapped_column(default=0, server_default="0")
    unit_price: Mapped[int]
    tax: Mapped[int] = mapped_column(default=0)
    tax_worked: Mapped[int | None]
    picked: Mapped[int] = mapped_column(default=0)
    shipped: Mapped[int] = mapped_column(default=0)
    part_of: Mapped[int | None] = mapped_column(ForeignKey("order_line.id"))
    apart: Mapped[bool] = mapped_column(default=False, server_default="0")
    tax_code: Mapped[str] = mapped_column(default="standard", server_default="standard")
    tax_percent: Mapped[str] = mapped_column(default="", server_default="")
    discount: Mapped[int] = mapped_column(default=0, server_default="0")
    invoiced: Mapped[int] = mapped_column(default=0, server_default="0")
    listing_ref: Mapped[str] = mapped_column(default="", server_default="")
    is_free: Mapped[bool] = mapped_column(default=False, server_default=false())
    cost: Mapped[int | None]
    price_why: Mapped[list[Any] | None]

    @property
    def is_known(self) -> bool:
        """Says whether its product is known, or it is no product."""
        return self.product_id is not None or self.is_free


class Reservation(Table):
    """Units of an order line that are promised from one warehouse. It is deleted when they leave or
    become free.
    """

    __tablename__ = "reservation"
    __table_args__ = strict(
        UniqueConstraint("order_line_id", "warehouse_id"),
        CheckConstraint("quantity > 0", name="quantity"),
        Index("ix_reservation_product_id", "product_id", "warehouse_id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    order_line_id: Mapped[int] = mapped_column(ForeignKey("order_line.id"))
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"))
    warehouse_id: Mapped[int] = mapped_column(ForeignKey("warehouse.id"))
    quantity: Mapped[int]


class Oversale(Table):
    """Units that a channel sold and that were no longer free when its order came in."""

    __tablename__ = "oversale"
    __table_args__ = strict(
        UniqueConstraint("order_id", "product_id"),
        CheckConstraint("units > 0", name="units"),
        Index("ix_oversale_product_id", "product_id", "at"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    order_id: Mapped[int] = mapped_column(ForeignKey("customer_order.id"))
    channel_id: Mapped[int] = mapped_column(ForeignKey("channel.id"))
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"))
    units: Mapped[int]
    at: Mapped[datetime]
