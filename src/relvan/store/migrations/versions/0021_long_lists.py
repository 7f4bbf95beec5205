"""Adds indexes from which lists of very many listings and movements are read without their tables."""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.drop_index("ix_movement_product_id", "movement")
    op.create_index(
        "ix_movement_product_id", "movement", ["product_id", "id", "at", "on_hand", "reason"]
    )
    on_sale = sa.text("regular IS NOT NULL")
    op.create_index(
        "ix_listing_on_sale",
        "listing",
        ["product_id"],
        sqlite_where=on_sale,
        postgresql_where=on_sale,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
