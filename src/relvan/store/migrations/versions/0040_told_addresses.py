"""Orders keep a mark of the address that their channel told last, so that one that was changed by
hand is not changed back by news of another kind, and are found by their promised days.
"""

import sqlalchemy as sa
from alembic import op

revision = "0040"
down_revision = "0039"
branch_labels = None
depends_on = None


def upgrade() -> None:
    column = sa.Column("told_address", sa.Text, nullable=False, server_default="")
    op.add_column("customer_order", column)
    some = sa.text("promised_on IS NOT NULL")
    op.create_index(
        "ix_customer_order_promised_on",
        "customer_order",
        ["promised_on"],
        sqlite_where=some,
        postgresql_where=some,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
