"""A person may say of an order from which warehouse alone it leaves."""

import sqlalchemy as sa
from alembic import op

revision = "0046"
down_revision = "0045"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        "ALTER TABLE customer_order ADD COLUMN warehouse_id INTEGER REFERENCES warehouse (id)"
    )
    some = sa.text("warehouse_id IS NOT NULL")
    op.create_index(
        "ix_customer_order_warehouse_id",
        "customer_order",
        ["warehouse_id"],
        sqlite_where=some,
        postgresql_where=some,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
