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
PARTIAL = {
    "assigned_id": (("assigned_id", "id"), "assigned_id IS NOT NULL"),
    "stuck": (
        ("tray", "currency", "total", "tray_since"),
        "aside_until IS NULL AND tray NOT IN ('closed', 'cancelled')",
    ),
}


def upgrade() -> None:
    for name, columns in INDEXES.items():
        op.create_index(f"ix_customer_order_{name}", "customer_order", list(columns))
    for name, (columns, which) in PARTIAL.items():
        op.create_index(
            f"ix_customer_order_{name}",
            "customer_order",
            list(columns),
            sqlite_where=sa.text(which),
            postgresql_where=sa.text(which),
        )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
