"""Adds to listings until when a channel shows them, and why it no longer does although nobody here
asked for that.
"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("listing", sa.Column("until", sa.Text))
    op.add_column("listing", sa.Column("gone", sa.Text, nullable=False, server_default=""))
    op.create_index(
        "ix_listing_until", "listing", ["until"], sqlite_where=sa.text("until IS NOT NULL")
    )
