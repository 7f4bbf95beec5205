"""Adds indexes that find orders that are not reserved whole, and updates about orders and parcels."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    standing = sa.text("cancelled_at IS NULL")
    op.create_index(
        "ix_customer_order_not_reserved",
        "customer_order",
        ["fact_reserved", "id"],
        sqlite_where=standing,
        postgresql_where=standing,
    )
    no_listing = sa.text("listing_id IS NULL")
    op.create_index(
        "ix_outbox_entry_subject",
        "outbox_entry",
        ["subject"],
        sqlite_where=no_listing,
        postgresql_where=no_listing,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
