"""Adds expected receipts, transfers between warehouses, and indexes of the ledger by reason and
warehouse.
"""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Instant

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index("ix_movement_reason", "movement", ["reason", "id"])
    op.create_index("ix_movement_warehouse_id", "movement", ["warehouse_id", "id"])
    op.create_table(
        "expected_receipt",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("warehouse_id", sa.Integer(), nullable=False),
        sa.Column("quantity", sa.Integer(), nullable=False),
        sa.Column("received", sa.Integer(), nullable=False),
        sa.Column("due", sa.Text(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("made_at", Instant(), nullable=False),
        sa.Column("ended_at", Instant(), nullable=True),
        sa.Column("request_key", sa.Text(), nullable=True),
        sa.CheckConstraint("quantity > 0", name=op.f("ck_expected_receipt_quantity")),
        sa.CheckConstraint("received >= 0", name=op.f("ck_expected_receipt_received")),
        sa.ForeignKeyConstraint(
            ["product_id"], ["product.id"], name=op.f("fk_expected_receipt_product_id")
        ),
        sa.ForeignKeyConstraint(
            ["warehouse_id"], ["warehouse.id"], name=op.f("fk_expected_receipt_warehouse_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_expected_receipt")),
        sa.UniqueConstraint("request_key", name=op.f("uq_expected_receipt_request_key")),
        sqlite_strict=True,
    )
    op.create_index("ix_expected_receipt_product_id", "expected_receipt", ["product_id"])
    op.create_index(
        "ix_expected_receipt_due",
        "expected_receipt",
        ["due"],
        sqlite_where=sa.text("ended_at IS NULL"),
    )
    op.create_table(
        "transfer",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("from_id", sa.Integer(), nullable=False),
        sa.Column("to_id", sa.Integer(), nullable=False),
        sa.Column("quantity", sa.Integer(), nullable=False),
        sa.Column("received", sa.Integer(), nullable=False),
        sa.Column("lost", sa.Integer(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("sent_at", Instant(), nullable=False),
        sa.Column("ended_at", Instant(), nullable=True),
        sa.Column("request_key", sa.Text(), nullable=True),
        sa.CheckConstraint("quantity > 0", name=op.f("ck_transfer_quantity")),
        sa.CheckConstraint("received BETWEEN 0 AND quantity", name=op.f("ck_transfer_received")),
        sa.CheckConstraint("from_id <> to_id", name=op.f("ck_transfer_elsewhere")),
        sa.ForeignKeyConstraint(
            ["product_id"], ["product.id"], name=op.f("fk_transfer_product_id")
        ),
        sa.ForeignKeyConstraint(["from_id"], ["warehouse.id"], name=op.f("fk_transfer_from_id")),
        sa.ForeignKeyConstraint(["to_id"], ["warehouse.id"], name=op.f("fk_transfer_to_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_transfer")),
        sa.UniqueConstraint("request_key", name=op.f("uq_transfer_request_key")),
        sqlite_strict=True,
    )
    op.create_index("ix_transfer_product_id", "transfer", ["product_id"])
    op.create_index(
        "ix_transfer_open", "transfer", ["id"], sqlite_where=sa.text("ended_at IS NULL")
    )
