"""Adds an index from which products in stock are found without reading all balances."""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    free = sa.text("on_hand - reserved - blocked - safety > 0")
    op.create_index(
        "ix_balance_free", "balance", ["product_id"], sqlite_where=free, postgresql_where=free
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
