"""What was scanned on phones, each once by its key."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Instant

revision = "0050"
down_revision = "0049"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "scan_event",
        sa.Column("key", sa.Text, primary_key=True),
        sa.Column("pick_list_id", sa.Integer, sa.ForeignKey("pick_list.id"), nullable=False),
        sa.Column("pick_id", sa.Integer, nullable=False),
        sa.Column("person_id", sa.Integer, sa.ForeignKey("person.id"), nullable=True),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("said", sa.Text, nullable=False),
        sa.Column("scanned_at", Instant, nullable=False),
        sa.Column("at", Instant, nullable=False),
        sa.CheckConstraint("kind IN ('pick', 'undo', 'wrong')", name="ck_scan_event_kind"),
        sqlite_strict=True,
    )
    op.create_index("ix_scan_event_pick_list_id", "scan_event", ["pick_list_id"])


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
