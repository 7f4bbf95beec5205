"""Indexes by which a list of a million orders is filtered and sorted."""

import sqlalchemy as sa
from alembic import op

revision = "0063"
down_revision = "0062"
branch_labels = None
depends_on = None

FACTS = ("fact_reserved", "fact_picked", "fact_shipped", "fact_invoiced", "fact_paid")
STANDING = "(" + " || ' ' || ".join(("tray", *FACTS)) + ")"
INDEXES = {
    "standing": (sa.text(STANDING), sa.text("coalesce(channel_id, 0)"), "country"),
    "channel": (sa.text("coalesce(channel_id, 0)"), "id"),
    "since": (sa.text("coalesce(tray_since, taken_at)"), "id"),
    "units": ("units", "id"),
    "total": ("total", "id"),
    "words": ("words", "id"),
}
ASSIGNED = sa.text("assigned_id IS NOT NULL")


def upgrade() -> None:
    for name, columns in INDEXES.items():
        op.create_index(f"ix_customer_order_{name}", "customer_order", list(columns))
    op.create_index(
        "ix_customer_order_assigned_id",
        "customer_order",
        ["assigned_id", "id"],
        sqlite_where=ASSIGNED,
        postgresql_where=ASSIGNED,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
