"""Adds an index of the updates of listings that have no answer yet."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    is_open = sa.text("ended_at IS NULL")
    op.create_index(
        "ix_outbox_entry_open",
        "outbox_entry",
        ["listing_id"],
        sqlite_where=is_open,
        postgresql_where=is_open,
    )
