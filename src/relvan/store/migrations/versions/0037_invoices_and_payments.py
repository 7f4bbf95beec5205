"""Adds invoices, credit notes and payments. What channels have paid so far becomes a payment of each
order, and lines keep their rate of tax, their discount, and how much of them is invoiced.
"""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag, Folded, Instant, Json

revision = "0037"
down_revision = "0036"
branch_labels = None
depends_on = None


def _whole(name: str) -> "sa.Column[int]":
    return sa.Column(name, sa.Integer, nullable=False)


def _text(name: str, default: str | None = None) -> "sa.Column[str]":
    return sa.Column(name, sa.Text, nullable=False, server_default=default)


def _add_columns() -> None:
    op.add_column("order_line", _text("tax_code", "standard"))
    op.add_column("order_line", _text("tax_percent", ""))
    for name in ("discount", "invoiced"):
        op.add_column("order_line", sa.Column(name, sa.Integer, nullable=False, server_default="0"))
    order = "customer_order"
    op.add_column(order, sa.Column("with_tax", Flag, nullable=False, server_default=sa.true()))
    op.add_column(order, sa.Column("bill_to", Json, nullable=True))
    op.add_column(order, _text("tax_number", ""))
    op.add_column(order, _text("tax_kind", "home"))
    for name in ("delivery_invoiced", "credited"):
        op.add_column(order, sa.Column(name, sa.Integer, nullable=False, server_default="0"))


def _add_invoices() -> None:
    order = sa.ForeignKey("customer_order.id", name="fk_invoice_order_id")
    corrects = sa.ForeignKey("invoice.id", name="fk_invoice_corrects_id")
    op.create_table(
        "invoice",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("number", Folded(), nullable=False),
        _text("kind"),
        _whole("serial"),
        sa.Column("order_id", sa.Integer, order, nullable=False),
        sa.Column("corrects_id", sa.Integer, corrects),
        _text("currency"),
        sa.Column("seller", Json, nullable=False),
        sa.Column("buyer", Json, nullable=False),
        _text("issued_on"),
        _text("supplied_on"),
        _text("tax_kind"),
        sa.Column("with_tax", Flag, nullable=False),
        sa.Column("rates", Json, nullable=False),
        _whole("net"),
        _whole("tax"),
        _whole("total"),
        _whole("payable"),
        sa.Column("prepaid", sa.Integer, nullable=False, server_default="0"),
        _text("due_on"),
        sa.Column("again", Flag, nullable=False, server_default=sa.false()),
        _text("reason", ""),
        sa.Column("made_at", Instant, nullable=False),
        sa.UniqueConstraint("number", name="uq_invoice_number"),
        sa.UniqueConstraint("kind", "serial", name="uq_invoice_kind_serial"),
        sa.CheckConstraint("kind IN ('invoice', 'credit')", name="ck_invoice_kind"),
        sqlite_strict=True,
    )
    op.create_index("ix_invoice_order_id", "invoice", ["order_id"])
    op.create_index("ix_invoice_issued_on", "invoice", ["issued_on", "id"])
    op.create_index(
        "ix_invoice_corrects_id",
        "invoice",
        ["corrects_id"],
        sqlite_where=sa.text("corrects_id IS NOT NULL"),
    )
    op.create_table(
        "invoice_line",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "invoice_id",
            sa.Integer,
            sa.ForeignKey("invoice.id", name="fk_invoice_line_invoice_id"),
            nullable=False,
        ),
        sa.Column(
            "order_line_id",
            sa.Integer,
            sa.ForeignKey("order_line.id", name="fk_invoice_line_order_line_id"),
        ),
        _whole("position"),
        _text("sku"),
        _text("title"),
        *(_whole(name) for name in ("quantity", "unit_price", "discount", "net", "paid")),
        _text("percent"),
        sqlite_strict=True,
    )
    op.create_index("ix_invoice_line_invoice_id", "invoice_line", ["invoice_id"])
    op.create_index("ix_invoice_line_order_line_id", "invoice_line", ["order_line_id"])


def _add_payments() -> None:
    order = sa.ForeignKey("customer_order.id", name="fk_payment_order_id")
    op.create_table(
        "payment",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("order_id", sa.Integer, order, nullable=False),
        _whole("amount"),
        _text("method"),
        _text("state"),
        _text("day"),
        _text("note", ""),
        sa.Column("made_at", Instant, nullable=False),
        sa.Column("released_at", Instant),
        sa.Column("key", sa.Text),
        sa.UniqueConstraint("key", name="uq_payment_key"),
        sa.CheckConstraint("state IN ('firm', 'provisional', 'void')", name="ck_payment_state"),
        sa.CheckConstraint("amount <> 0", name="ck_payment_amount"),
        sqlite_strict=True,
    )
    op.create_index("ix_payment_order_id", "payment", ["order_id"])
    op.create_index("ix_payment_day", "payment", ["day", "id"])
    waiting = sa.text("state = 'provisional'")
    op.create_index(
        "ix_payment_provisional", "payment", ["id"], sqlite_where=waiting, postgresql_where=waiting
    )
    op.execute(
        "INSERT INTO payment (order_id, amount, method, state, day, note, made_at)"
        " SELECT id, paid, CASE WHEN channel_id IS NULL THEN 'other' ELSE 'channel' END, 'firm',"
        " substr(taken_at, 1, 10), '', taken_at FROM customer_order WHERE paid <> 0"
    )


def upgrade() -> None:
    _add_columns()
    _add_invoices()
    _add_payments()
    op.execute(
        "UPDATE customer_order SET words = replace(replace(words, ', paid', ', not invoiced, paid'),"
        " ', not paid', ', not invoiced, not paid') WHERE cancelled_at IS NULL"
        " AND words NOT LIKE '%invoiced%'"
    )
    # a line that was taxed keeps the rate that its tax was worked out with, as near as it can be told
    op.execute(
        "UPDATE order_line SET tax_percent = CASE WHEN tax = 0 THEN '0' ELSE CAST(round(100.0 * tax /"
        " (unit_price * quantity - tax), 0) AS INTEGER) || '' END WHERE part_of IS NULL"
        " AND unit_price * quantity > tax"
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
