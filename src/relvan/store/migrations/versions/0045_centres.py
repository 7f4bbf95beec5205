"""Warehouses say which centre of which channel they are and how orders get there, and shipments what a
centre said of them.
"""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag

revision = "0045"
down_revision = "0044"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name, usual in (
        ("channel", ""),
        ("centre", ""),
        ("takes", "part"),
        ("hand_over", "by-hand"),
    ):
        column = sa.Column(name, sa.Text, nullable=False, server_default=usual)
        op.add_column("warehouse", column)
    for table, name, kind in (("channel", "centre_mark", sa.Integer), ("shipment", "recall", Flag)):
        op.add_column(table, sa.Column(name, kind, nullable=False, server_default="0"))
    said = sa.Column("said", sa.Text, nullable=False, server_default="")
    op.add_column("shipment", said)


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
