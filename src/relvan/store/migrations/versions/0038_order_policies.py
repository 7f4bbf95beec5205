"""Gives channels a policy for their orders, in place of a way to route them, and orders what was
considered when their warehouses were chosen.
"""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Json

revision = "0038"
down_revision = "0037"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.drop_column("channel", "routing")
    op.add_column("channel", sa.Column("order_policy", Json, nullable=False, server_default="{}"))
    op.add_column("customer_order", sa.Column("routed", Json, nullable=True))


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
