"""Adds which worker has which duty, for several workers that share the work."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag, Instant

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "seen_worker",
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("seen_at", Instant(), nullable=False),
        sa.Column("shares", Flag(), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_seen_worker")),
        sqlite_strict=True,
    )
    op.create_table(
        "duty",
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("worker", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["worker"], ["seen_worker.name"], name=op.f("fk_duty_worker"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_duty")),
        sqlite_strict=True,
    )
    op.create_index("ix_duty_worker", "duty", ["worker"])
