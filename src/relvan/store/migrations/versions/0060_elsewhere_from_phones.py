"""Phones may send what a pick lacks from another warehouse. SQLite cannot change a check, so that the table is
written anew; nothing refers to it."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Instant

revision = "0060"
down_revision = "0059"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "scan_event_now",
        sa.Column("key", sa.Text, primary_key=True),
        sa.Column("pick_list_id", sa.Integer, sa.ForeignKey("pick_list.id"), nullable=False),
        sa.Column("pick_id", sa.Integer, nullable=False),
        sa.Column("person_id", sa.Integer, sa.ForeignKey("person.id"), nullable=True),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("said", sa.Text, nullable=False),
        sa.Column("scanned_at", Instant, nullable=False),
        sa.Column("at", Instant, nullable=False),
        sa.CheckConstraint(
            "kind IN ('pick', 'undo', 'wrong', 'elsewhere')", name="ck_scan_event_kind"
        ),
        sqlite_strict=True,
    )
    op.execute("INSERT INTO scan_event_now SELECT * FROM scan_event")
    op.drop_table("scan_event")
    op.rename_table("scan_event_now", "scan_event")
    op.create_index("ix_scan_event_pick_list_id", "scan_event", ["pick_list_id"])


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
