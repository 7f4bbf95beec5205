"""Papers in the seller's own layout, with all their versions."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag, Instant

revision = "0051"
down_revision = "0050"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "layout",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("size", sa.Text, nullable=False),
        sa.Column("channel", sa.Text, nullable=False, server_default=""),
        sa.Column("body", sa.Text, nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
        sa.Column("used", Flag, nullable=False, server_default=sa.true()),
        sqlite_strict=True,
    )
    op.create_index("ix_layout_kind", "layout", ["kind", "id"])
    op.create_table(
        "layout_version",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("layout_id", sa.Integer, sa.ForeignKey("layout.id"), nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
        sa.Column("size", sa.Text, nullable=False),
        sa.Column("body", sa.Text, nullable=False),
        sa.Column("person_id", sa.Integer, sa.ForeignKey("person.id"), nullable=True),
        sa.Column("at", Instant, nullable=False),
        sa.UniqueConstraint("layout_id", "version", name="uq_layout_version_layout_id_version"),
        sqlite_strict=True,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
