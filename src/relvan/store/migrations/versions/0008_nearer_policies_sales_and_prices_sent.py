"""Adds exceptions from channels' stock rules, sale prices, further bounds of a price, and the
history of prices sent.
"""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Instant, Json

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("product", sa.Column("advertised_minimum", sa.Integer(), nullable=True))
    op.add_column("product", sa.Column("ceiling", sa.Integer(), nullable=True))
    op.add_column("listing", sa.Column("regular", sa.Integer(), nullable=True))
    op.add_column("listing", sa.Column("sent_regular", sa.Integer(), nullable=True))
    op.add_column("listing", sa.Column("paused", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("channel", sa.Column("currency", sa.Text(), nullable=False, server_default=""))
    op.execute(
        "UPDATE channel SET currency = (SELECT currency FROM price_list WHERE id = channel.price_list_id)"
    )
    _policies()
    _sales()
    op.create_table(
        "price_sent",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("listing_id", sa.Integer(), nullable=False),
        sa.Column("channel_id", sa.Integer(), nullable=False),
        sa.Column("at", Instant(), nullable=False),
        sa.Column("amount", sa.Integer(), nullable=False),
        sa.Column("regular", sa.Integer(), nullable=True),
        sa.Column("cause", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["channel_id"], ["channel.id"], name=op.f("fk_price_sent_channel_id")
        ),
        sa.ForeignKeyConstraint(
            ["listing_id"],
            ["listing.id"],
            name=op.f("fk_price_sent_listing_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_price_sent")),
        sqlite_strict=True,
    )
    op.create_index("ix_price_sent_listing_id", "price_sent", ["listing_id", "at"])
    op.create_index("ix_price_sent_channel_id", "price_sent", ["channel_id", "at"])


def _policies() -> None:
    op.create_table(
        "nearer_policy",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("channel_id", sa.Integer(), nullable=False),
        sa.Column("category", sa.Text(), nullable=True),
        sa.Column("product_id", sa.Integer(), nullable=True),
        sa.Column("listing_id", sa.Integer(), nullable=True),
        sa.Column("policy", Json(), nullable=False),
        sa.CheckConstraint(
            "CASE WHEN category IS NULL THEN 0 ELSE 1 END + CASE WHEN product_id IS NULL THEN 0 ELSE 1 END"
            " + CASE WHEN listing_id IS NULL THEN 0 ELSE 1 END = 1",
            name=op.f("ck_nearer_policy_one_place"),
        ),
        sa.ForeignKeyConstraint(
            ["channel_id"], ["channel.id"], name=op.f("fk_nearer_policy_channel_id")
        ),
        sa.ForeignKeyConstraint(
            ["product_id"],
            ["product.id"],
            name=op.f("fk_nearer_policy_product_id"),
            ondelete="CASCADE",
        ),
        sa.ForeignKeyConstraint(
            ["listing_id"],
            ["listing.id"],
            name=op.f("fk_nearer_policy_listing_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_nearer_policy")),
        sqlite_strict=True,
    )
    op.create_index(
        "uq_nearer_policy_category", "nearer_policy", ["channel_id", "category"], unique=True
    )
    op.create_index(
        "uq_nearer_policy_product", "nearer_policy", ["channel_id", "product_id"], unique=True
    )
    op.create_index("uq_nearer_policy_listing", "nearer_policy", ["listing_id"], unique=True)
    op.create_index(
        "ix_nearer_policy_product_id",
        "nearer_policy",
        ["product_id"],
        sqlite_where=sa.text("product_id IS NOT NULL"),
    )


def _sales() -> None:
    op.create_table(
        "sale_window",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("price_list_id", sa.Integer(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("amount", sa.Integer(), nullable=False),
        sa.Column("since", Instant(), nullable=False),
        sa.Column("until", Instant(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("made_at", Instant(), nullable=False),
        sa.CheckConstraint("amount > 0", name=op.f("ck_sale_window_amount")),
        sa.CheckConstraint("until > since", name=op.f("ck_sale_window_window")),
        sa.CheckConstraint(
            "state IN ('planned', 'running', 'over')", name=op.f("ck_sale_window_state")
        ),
        sa.ForeignKeyConstraint(
            ["price_list_id"], ["price_list.id"], name=op.f("fk_sale_window_price_list_id")
        ),
        sa.ForeignKeyConstraint(
            ["product_id"],
            ["product.id"],
            name=op.f("fk_sale_window_product_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sale_window")),
        sqlite_strict=True,
    )
    op.create_index("ix_sale_window_product_id", "sale_window", ["product_id", "price_list_id"])
    op.create_index("ix_sale_window_turns", "sale_window", ["state", "since", "until"])
