"""Manifests: the parcels that a carrier takes at once."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Instant

revision = "0049"
down_revision = "0048"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "manifest",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("number", sa.Text, nullable=False),
        sa.Column("carrier_id", sa.Integer, sa.ForeignKey("carrier.id"), nullable=False),
        sa.Column("warehouse_id", sa.Integer, sa.ForeignKey("warehouse.id"), nullable=False),
        sa.Column("key", sa.Text, nullable=False),
        sa.Column("carrier_number", sa.Text, nullable=False),
        sa.Column("person_id", sa.Integer, sa.ForeignKey("person.id"), nullable=True),
        sa.Column("created_at", Instant, nullable=False),
        sa.UniqueConstraint("number", name="uq_manifest_number"),
        sa.UniqueConstraint("key", name="uq_manifest_key"),
        sqlite_strict=True,
    )
    op.create_index("ix_manifest_carrier_id", "manifest", ["carrier_id", "id"])
    op.execute("ALTER TABLE parcel ADD COLUMN manifest_id INTEGER REFERENCES manifest (id)")
    op.create_index("ix_parcel_manifest_id", "parcel", ["manifest_id"])


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
