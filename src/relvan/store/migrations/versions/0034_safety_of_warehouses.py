"""Adds the safety stock that a warehouse keeps back of a product that is new there."""

import sqlalchemy as sa
from alembic import op

revision = "0034"
down_revision = "0033"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("warehouse", sa.Column("safety", sa.Integer, nullable=False, server_default="0"))


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
