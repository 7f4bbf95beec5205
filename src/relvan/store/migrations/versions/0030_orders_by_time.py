"""Adds an index by which orders of the last weeks are found."""

from alembic import op

revision = "0030"
down_revision = "0029"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index("ix_customer_order_placed_at", "customer_order", ["placed_at"])


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
