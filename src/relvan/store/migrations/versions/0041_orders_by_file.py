"""Lines keep the tax that is worked out where the source of an order gave another one, and orders are
found by their references.
"""

import sqlalchemy as sa
from alembic import op

revision = "0041"
down_revision = "0040"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("order_line", sa.Column("tax_worked", sa.Integer))
    some = sa.text("reference <> ''")
    op.create_index(
        "ix_customer_order_reference",
        "customer_order",
        ["reference"],
        sqlite_where=some,
        postgresql_where=some,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
