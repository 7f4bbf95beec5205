"""Kinds of papers whose layout is asked for each time that one is printed."""

import sqlalchemy as sa
from alembic import op

revision = "0061"
down_revision = "0060"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table("asked_paper", sa.Column("kind", sa.Text, primary_key=True), sqlite_strict=True)


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
