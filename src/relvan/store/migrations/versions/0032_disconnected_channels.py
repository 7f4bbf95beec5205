"""Adds how a channel is connected: a channel can be disconnected and stay for its orders."""

import sqlalchemy as sa
from alembic import op

revision = "0032"
down_revision = "0031"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "channel",
        sa.Column("connection", sa.Text, nullable=False, server_default="connected"),
    )
    op.create_index("ix_drift_listing_id", "drift", ["listing_id"])


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
