"""Adds the plan of backups and what became of each."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag, Instant, Json

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("firm", sa.Column("backups", Json, nullable=False, server_default="{}"))
    op.create_table(
        "backup_run",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("made_at", Instant, nullable=False),
        sa.Column("file", sa.Text, nullable=False),
        sa.Column("bytes", sa.Integer, nullable=False),
        sa.Column("trouble", sa.Text, nullable=False),
        sa.Column("tried_at", Instant, nullable=True),
        sa.Column("found", sa.Text, nullable=False),
        sa.Column("gone", Flag, nullable=False, server_default="0"),
        sqlite_strict=True,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
