"""Adds an index of the listings that are not kept in step: they are few, or are many only for a
while.
"""

import sqlalchemy as sa
from alembic import op

revision = "0035"
down_revision = "0034"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index(
        "ix_listing_unfollowed",
        "listing",
        ["channel_id"],
        sqlite_where=sa.text("NOT followed"),
        postgresql_where=sa.text("NOT followed"),
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
