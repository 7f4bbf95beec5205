"""Tables of invoices, credit notes and payments."""

from datetime import datetime
from typing import Any

from sqlalchemy import CheckConstraint, ForeignKey, Index, UniqueConstraint, false, text
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict
from relvan.store.types import Folded


class InvoiceRow(Table):
    """An invoice, or a credit note that corrects one (`corrects_id`), as it was issued; it never
    changes. Amounts are in minor units; those of a credit note say how much is given back.

    `serial` counts the invoices and the credit notes each by themselves, without holes. `seller` and
    `buyer` are what stands on the paper, `rates` the sums per rate, and `issued_on` and `supplied_on`
    are days (ISO 8601). `tax_kind` says why it is taxed as it is (`core/orders/tax_case.py`);
    `prepaid` is what had been paid when it was issued. Units on a credit note with `again` are to be
    invoiced again.
    """

    __tablename__ = "invoice"
    __table_args__ = strict(
        UniqueConstraint("kind", "serial"),
        CheckConstraint("kind IN ('invoice', 'credit')", name="kind"),
        Index("ix_invoice_order_id", "order_id"),
        Index("ix_invoice_issued_on", "issued_on", "id"),
        Index(
            "ix_invoice_corrects_id", "corrects_id", sqlite_where=text("corrects_id IS NOT NULL")
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    number: Mapped[str] = mapped_column(Folded(), unique=True)
    kind: Mapped[str]
    serial: Mapped[int]
    order_id: Mapped[int] = mapped_column(ForeignKey("customer_order.id"))
    corrects_id: Mapped[int | None] = mapped_column(ForeignKey("invoice.id"))
    currency: Mapped[str]
    seller: Mapped[dict[str, Any]]
    buyer: Mapped[dict[str, Any]]
    issued_on: Mapped[str]
    supplied_on: Mapped[str]
    tax_kind: Mapped[str]
    with_tax: Mapped[bool]
    rates: Mapped[list[Any]]
    net: Mapped[int]
    tax: Mapped[int]
    total: Mapped[int]
    payable: Mapped[int]
    prepaid: Mapped[int] = mapped_column(default=0, server_default="0")
    due_on: Mapped[str]
    again: Mapped[bool] = mapped_column(default=False, server_default=false())
    reason: Mapped[str] = mapped_column(default="", server_default="")
    made_at: Mapped[datetime]


class InvoiceLineRow(Table):
    """A line of an invoice. `order_line_id` is empty for a delivery charge; `net` is the amount of the
    line without tax, and `paid` what the buyer pays for it.
    """

    __tablename__ = "invoice_line"
    __table_args__ = strict(
        Index("ix_invoice_line_invoice_id", "invoice_id"),
        Index("ix_invoice_line_order_line_id", "order_line_id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    invoice_id: Mapped[int] = mapped_column(ForeignKey("invoice.id"))
    order_line_id: Mapped[int | None] = mapped_column(ForeignKey("order_line.id"))
    position: Mapped[int]
    sku: Mapped[str]
    title: Mapped[str]
    quantity: Mapped[int]
    unit_price: Mapped[int]
    discount: Mapped[int]
    net: Mapped[int]
    paid: Mapped[int]
    percent: Mapped[str]


class PaymentRow(Table):
    """Money that came for an order, or went back (a negative amount), in minor units of the order's
    currency. A `provisional` one counts only when it is released (`released_at`); one that never came
    is `void`. `key` names it for whoever told of it, so that it is taken once.
    """

    __tablename__ = "payment"
    __table_args__ = strict(
        CheckConstraint("state IN ('firm', 'provisional', 'void')", name="state"),
        CheckConstraint("amount <> 0", name="amount"),
        Index("ix_payment_order_id", "order_id"),
        Index("ix_payment_day", "day", "id"),
        Index(
            "ix_payment_provisional",
            "id",
            sqlite_where=text("state = 'provisional'"),
            postgresql_where=text("state = 'provisional'"),
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    order_id: Mapped[int] = mapped_column(ForeignKey("customer_order.id"))
    amount: Mapped[int]
    method: Mapped[str]
    state: Mapped[str]
    day: Mapped[str]
    note: Mapped[str] = mapped_column(default="", server_default="")
    made_at: Mapped[datetime]
    released_at: Mapped[datetime | None]
    key: Mapped[str | None] = mapped_column(unique=True)
