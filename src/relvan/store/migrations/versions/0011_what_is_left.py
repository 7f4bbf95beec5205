"""Adds to listings the margin of their price, so that losses are found at once."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("listing", sa.Column("margin", sa.Integer(), nullable=True))
    op.create_index("ix_listing_loss", "listing", ["margin"], sqlite_where=sa.text("margin < 0"))
    op.execute(
        "UPDATE channel SET book = book || ' ' WHERE book <> ''"
    )  # listings are worked out again when the application starts
