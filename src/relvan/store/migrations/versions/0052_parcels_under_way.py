"""What carriers say of parcels under way, what they charge, and claims."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Instant

revision = "0052"
down_revision = "0051"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("parcel", sa.Column("arrives_on", sa.Text, nullable=True))
    op.add_column("parcel", sa.Column("stage", sa.Text, nullable=False, server_default="announced"))
    for name in ("stage_at", "tracked_at", "late_at", "claimed_at"):
        op.add_column("parcel", sa.Column(name, Instant, nullable=True))
    for name in ("charged", "claim_amount"):
        op.add_column("parcel", sa.Column(name, sa.Integer, nullable=True))
    for name in ("charge_reason", "claim_state", "claim_note"):
        op.add_column("parcel", sa.Column(name, sa.Text, nullable=False, server_default=""))
    op.create_index("ix_parcel_stage", "parcel", ["stage", "tracked_at"])
    op.create_index("ix_parcel_late_at", "parcel", ["late_at"])
    op.add_column("manifest", sa.Column("billed_at", Instant, nullable=True))
    op.create_table(
        "parcel_event",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "parcel_id",
            sa.Integer,
            sa.ForeignKey("parcel.id", ondelete="CASCADE"),
            nullable=False,
        ),
        sa.Column("at", Instant, nullable=False),
        sa.Column("stage", sa.Text, nullable=False),
        sa.Column("words", sa.Text, nullable=False),
        sa.UniqueConstraint("parcel_id", "at", "stage", name="uq_parcel_event_parcel_id_at_stage"),
        sqlite_strict=True,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
