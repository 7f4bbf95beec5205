"""Adds to listings their floor, whether it holds their price or not."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("listing", sa.Column("lowest", sa.Integer(), nullable=True))
    op.execute(
        "UPDATE listing SET lowest = price WHERE floored"
    )  # the others when they are worked out next
    below = sa.text("sent_price < lowest")
    op.create_index(
        "ix_listing_below", "listing", ["id"], sqlite_where=below, postgresql_where=below
    )
