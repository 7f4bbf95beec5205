"""Adds to listings a number by which those that lack the same things are found and counted."""

import json

import sqlalchemy as sa
from alembic import op

from relvan.core.listings.gaps import gap_mark

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("listing", sa.Column("gap_mark", sa.Text, nullable=False, server_default=""))
    connection = op.get_bind()
    text = sa.text("SELECT DISTINCT CAST(gaps AS text) FROM listing WHERE gap_count > 0")
    as_kept = sa.text("UPDATE listing SET gap_mark = :mark WHERE CAST(gaps AS text) = :gaps")
    found = [row[0] for row in connection.execute(text)]
    if found:
        marks = [{"gaps": gaps, "mark": gap_mark(json.loads(gaps))} for gaps in found]
        connection.execute(as_kept, marks)
    placed = sa.text("category <> ''")
    op.create_index(
        "ix_listing_category",
        "listing",
        ["channel_id", "category", "product_id"],
        sqlite_where=placed,
        postgresql_where=placed,
    )
    lacking = sa.text("gap_count > 0")
    op.create_index(
        "ix_listing_gap_mark",
        "listing",
        ["channel_id", "gap_mark", "gap_count", "product_id"],
        sqlite_where=lacking,
        postgresql_where=lacking,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
