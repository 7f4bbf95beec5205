"""Clears the leader of rows of a bulk job that lead themselves, so that an index finds those that
follow.
"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("UPDATE bulk_job_row SET leader = NULL WHERE leader = position")
    op.create_index(
        "ix_bulk_job_row_leader",
        "bulk_job_row",
        ["job_id", "leader"],
        sqlite_where=sa.text("leader IS NOT NULL"),
    )
