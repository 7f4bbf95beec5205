"""Adds what moving in reads of listings on channels, and what it keeps with the rows of its job."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Instant, Json

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("finding", sa.Column("text", sa.Text, nullable=False, server_default=""))
    op.add_column("finding", sa.Column("weight_g", sa.Integer, nullable=True))
    op.add_column("finding", sa.Column("placed_at", Instant, nullable=True))
    op.add_column("finding", sa.Column("changed_at", Instant, nullable=True))
    op.add_column("bulk_job_row", sa.Column("more", Json, nullable=True))


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
