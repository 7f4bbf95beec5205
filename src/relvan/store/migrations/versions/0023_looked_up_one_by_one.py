"""Makes three indexes answer by themselves, without the row: whether the listing of a product lacks
something, whether a product has free stock, and which products are not in the archive.
"""

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    gapped = sa.text("gap_count > 0")
    op.drop_index("ix_listing_gap_mark", "listing")
    op.create_index(
        "ix_listing_gap_mark",
        "listing",
        ["channel_id", "gap_mark", "product_id", "gap_count"],
        sqlite_where=gapped,
        postgresql_where=gapped,
    )

    free = sa.text("on_hand - reserved - blocked - safety > 0")
    op.drop_index("ix_balance_free", "balance")
    op.create_index(
        "ix_balance_free",
        "balance",
        ["product_id", "on_hand", "reserved", "blocked", "safety"],
        sqlite_where=free,
        postgresql_where=free,
    )
    op.drop_index("ix_product_listed", "product")
    op.create_index(
        "ix_product_listed",
        "product",
        ["sku_key", "archived_at", "kind", "family_id"],
        sqlite_where=sa.text("archived_at IS NULL"),
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
