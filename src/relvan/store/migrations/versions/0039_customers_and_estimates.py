"""Adds customers, and what an order or estimate has that a person enters."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag, Folded, Instant, Json

revision = "0039"
down_revision = "0038"
branch_labels = None
depends_on = None


def _text(name: str, kind: type[sa.Text] | Folded = sa.Text) -> "sa.Column[str]":
    return sa.Column(name, kind, nullable=False, server_default="")


def _add_customers() -> None:
    price_list = sa.ForeignKey("price_list.id", name="fk_customer_price_list_id")
    merged = sa.ForeignKey("customer.id", name="fk_customer_merged_into_id")
    op.create_table(
        "customer",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("number", Folded(), nullable=False),
        sa.Column("name", Folded(), nullable=False),
        _text("mail", Folded()),
        _text("phone"),
        _text("tax_number"),
        sa.Column("price_list_id", sa.Integer, price_list),
        sa.Column("bill_to", Json, nullable=False, server_default="{}"),
        _text("notes"),
        sa.Column("made_at", Instant, nullable=False),
        sa.Column("forgotten_at", Instant),
        sa.Column("merged_into_id", sa.Integer, merged),
        sa.UniqueConstraint("number", name="uq_customer_number"),
        sqlite_strict=True,
    )
    living = sa.text("mail <> '' AND merged_into_id IS NULL")
    op.create_index(
        "uq_customer_mail",
        "customer",
        ["mail"],
        unique=True,
        sqlite_where=living,
        postgresql_where=living,
    )
    op.create_index("ix_customer_name", "customer", ["name", "id"])
    of = sa.ForeignKey("customer.id", name="fk_customer_address_customer_id")
    op.create_table(
        "customer_address",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("customer_id", sa.Integer, of, nullable=False),
        sa.Column("address", Json, nullable=False),
        sqlite_strict=True,
    )
    op.create_index("ix_customer_address_customer_id", "customer_address", ["customer_id"])
    of = sa.ForeignKey("customer.id", name="fk_customer_price_customer_id")
    product = sa.ForeignKey("product.id", name="fk_customer_price_product_id", ondelete="CASCADE")
    op.create_table(
        "customer_price",
        sa.Column("customer_id", sa.Integer, of, primary_key=True),
        sa.Column("product_id", sa.Integer, product, primary_key=True),
        sa.Column("currency", sa.Text, primary_key=True),
        sa.Column("amount", sa.Integer, nullable=False),
        sa.Column("with_tax", Flag, nullable=False),
        sa.CheckConstraint("amount > 0", name="ck_customer_price_amount"),
        sqlite_strict=True,
    )
    op.create_index("ix_customer_price_product_id", "customer_price", ["product_id"])


def _add_estimates() -> None:
    of = sa.ForeignKey("customer.id", name="fk_estimate_customer_id")
    op.create_table(
        "estimate",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("number", Folded(), nullable=False),
        sa.Column("customer_id", sa.Integer, of, nullable=False),
        sa.Column("draft", Json, nullable=False),
        sa.Column("currency", sa.Text, nullable=False),
        sa.Column("total", sa.Integer, nullable=False),
        sa.Column("last_day", sa.Text, nullable=False),
        sa.Column("state", sa.Text, nullable=False),
        _text("secret"),
        sa.Column("made_at", Instant, nullable=False),
        sa.Column("ended_at", Instant),
        sa.UniqueConstraint("number", name="uq_estimate_number"),
        sa.CheckConstraint("state IN ('open', 'accepted', 'cancelled')", name="ck_estimate_state"),
        sqlite_strict=True,
    )
    op.create_index("ix_estimate_customer_id", "estimate", ["customer_id"])
    op.create_index("ix_estimate_state", "estimate", ["state", "id"])
    op.create_index("ix_estimate_secret", "estimate", ["secret"])


def _add_columns() -> None:
    order = "customer_order"
    for name, target in (
        ("customer_id", "customer"),
        ("salesperson_id", "person"),
        ("estimate_id", "estimate"),
    ):
        op.execute(f"ALTER TABLE {order} ADD COLUMN {name} INTEGER REFERENCES {target} (id)")
    op.add_column(order, _text("reference", Folded()))
    op.add_column(order, sa.Column("promised_on", sa.Text, nullable=True))
    op.add_column(order, _text("secret"))
    op.add_column(order, sa.Column("overridden", Json, nullable=False, server_default="{}"))
    op.add_column(
        "order_line", sa.Column("is_free", Flag, nullable=False, server_default=sa.false())
    )
    op.add_column("order_line", _text("listing_ref"))
    unknown = sa.text("product_id IS NULL AND NOT is_free")
    op.create_index(
        "ix_order_line_unknown",
        "order_line",
        ["order_id"],
        sqlite_where=unknown,
        postgresql_where=unknown,
    )
    op.add_column("order_line", sa.Column("cost", sa.Integer, nullable=True))
    op.add_column("order_line", sa.Column("price_why", Json, nullable=True))
    some = sa.text("customer_id IS NOT NULL")
    op.create_index(
        "ix_customer_order_customer_id",
        order,
        ["customer_id", "id"],
        sqlite_where=some,
        postgresql_where=some,
    )
    op.create_index(
        "ix_customer_order_secret",
        order,
        ["secret"],
        sqlite_where=sa.text("secret <> ''"),
        postgresql_where=sa.text("secret <> ''"),
    )


def upgrade() -> None:
    _add_customers()
    _add_estimates()
    _add_columns()


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
