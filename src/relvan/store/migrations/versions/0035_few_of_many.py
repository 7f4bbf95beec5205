"""Adds an index of the listings that are not kept in step, which are few or are many only for a
while, and one of the products of which units are kept back.
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
    kept_back = sa.text("safety > 0")
    op.create_index(
        "ix_balance_safety",
        "balance",
        ["warehouse_id", "safety"],
        sqlite_where=kept_back,
        postgresql_where=kept_back,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
