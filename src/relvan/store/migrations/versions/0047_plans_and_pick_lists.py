"""Warehouses have a plan, bins a purpose and a capacity, and pick lists a kind, an order and totes."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Json

revision = "0047"
down_revision = "0046"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("warehouse", sa.Column("plan", Json, nullable=True))
    for table, name, usual in (
        ("warehouse", "bin_rule", "empties"),
        ("bin", "purpose", "pick"),
        ("pick_list", "name", ""),
        ("pick_list", "kind", "many"),
        ("pick_list", "sort", "place"),
    ):
        column = sa.Column(name, sa.Text, nullable=False, server_default=usual)
        op.add_column(table, column)
    op.add_column("bin", sa.Column("capacity", sa.Integer, nullable=True))
    op.add_column("pick", sa.Column("tote", sa.Integer, nullable=True))


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
