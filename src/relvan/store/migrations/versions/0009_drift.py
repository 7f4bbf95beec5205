"""Adds drift, how far the present pass over a channel's listings has come, and what was oversold."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Instant

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "channel", sa.Column("mends", sa.Text(), nullable=False, server_default="quantity price")
    )
    op.add_column("channel", sa.Column("looked_to", sa.Text(), nullable=False, server_default=""))
    op.add_column("channel", sa.Column("pass_began_at", Instant(), nullable=True))
    op.add_column("channel", sa.Column("passed_at", Instant(), nullable=True))
    op.create_table(
        "drift",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("channel_id", sa.Integer(), nullable=False),
        sa.Column("listing_id", sa.Integer(), nullable=False),
        sa.Column("topic", sa.Text(), nullable=False),
        sa.Column("ours", sa.Text(), nullable=False),
        sa.Column("theirs", sa.Text(), nullable=False),
        sa.Column("seen_at", Instant(), nullable=False),
        sa.Column("confirmed_at", Instant(), nullable=True),
        sa.Column("ended_at", Instant(), nullable=True),
        sa.Column("how", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name=op.f("fk_drift_channel_id")),
        sa.ForeignKeyConstraint(
            ["listing_id"], ["listing.id"], name=op.f("fk_drift_listing_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_drift")),
        sqlite_strict=True,
    )
    op.create_index(
        "uq_drift_open",
        "drift",
        ["listing_id", "topic"],
        unique=True,
        sqlite_where=sa.text("ended_at IS NULL"),
        postgresql_where=sa.text("ended_at IS NULL"),
    )
    op.create_index("ix_drift_channel_id", "drift", ["channel_id", "ended_at", "id"])
    op.create_table(
        "oversale",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("order_id", sa.Integer(), nullable=False),
        sa.Column("channel_id", sa.Integer(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("units", sa.Integer(), nullable=False),
        sa.Column("at", Instant(), nullable=False),
        sa.CheckConstraint("units > 0", name=op.f("ck_oversale_units")),
        sa.ForeignKeyConstraint(
            ["order_id"], ["customer_order.id"], name=op.f("fk_oversale_order_id")
        ),
        sa.ForeignKeyConstraint(
            ["channel_id"], ["channel.id"], name=op.f("fk_oversale_channel_id")
        ),
        sa.ForeignKeyConstraint(
            ["product_id"], ["product.id"], name=op.f("fk_oversale_product_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_oversale")),
        sa.UniqueConstraint("order_id", "product_id", name=op.f("uq_oversale_order_id_product_id")),
        sqlite_strict=True,
    )
    op.create_index("ix_oversale_product_id", "oversale", ["product_id", "at"])
