"""Adds to channels after how many minutes they count as silent."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "channel", sa.Column("silent_minutes", sa.Integer(), nullable=False, server_default="0")
    )
