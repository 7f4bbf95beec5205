"""Cartons, and what was scanned at the pack bench."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag, Folded

revision = "0048"
down_revision = "0047"
branch_labels = None
depends_on = None


def upgrade() -> None:
    bench = sa.Column("bench_scan", sa.Text, nullable=False, server_default="all")
    op.add_column("warehouse", bench)
    scanned = sa.Column("scanned", sa.Integer, nullable=False, server_default="0")
    op.add_column("shipment_line", scanned)
    op.create_table(
        "carton",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("code", Folded(), nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        *(
            sa.Column(name, sa.Integer, nullable=False)
            for name in ("length_mm", "width_mm", "height_mm", "weight_g", "max_weight_g", "cost")
        ),
        sa.Column("used", Flag, nullable=False, server_default=sa.true()),
        sa.UniqueConstraint("code", name="uq_carton_code"),
        sa.CheckConstraint(
            "length_mm > 0 AND width_mm > 0 AND height_mm > 0", name="ck_carton_lengths"
        ),
        sa.CheckConstraint("weight_g >= 0 AND max_weight_g > weight_g", name="ck_carton_weights"),
        sa.CheckConstraint("cost >= 0", name="ck_carton_cost"),
        sqlite_strict=True,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
