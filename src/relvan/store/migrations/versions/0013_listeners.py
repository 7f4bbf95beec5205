"""Adds the seller's own tools that are told of changes, and the messages that wait for them."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag, Instant, Json

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "listener",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("secret", sa.Text(), nullable=False),
        sa.Column("matters", Json(), nullable=False),
        sa.Column("active", Flag(), nullable=False),
        sa.Column("failures", sa.Integer(), nullable=False),
        sa.Column("rests_until", Instant(), nullable=True),
        sa.Column("trouble", sa.Text(), nullable=False),
        sa.Column("heard_at", Instant(), nullable=True),
        sa.Column("made_at", Instant(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_listener")),
        sqlite_strict=True,
    )
    op.create_table(
        "announcement",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("listener_id", sa.Integer(), nullable=False),
        sa.Column("matter", sa.Text(), nullable=False),
        sa.Column("subject", sa.Text(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("taken_until", Instant(), nullable=True),
        sa.Column("made_at", Instant(), nullable=False),
        sa.Column("ended_at", Instant(), nullable=True),
        sa.ForeignKeyConstraint(
            ["listener_id"],
            ["listener.id"],
            name=op.f("fk_announcement_listener_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_announcement")),
        sa.UniqueConstraint("key", name=op.f("uq_announcement_key")),
        sqlite_strict=True,
    )
    op.create_index(
        "uq_announcement_waiting",
        "announcement",
        ["listener_id", "matter", "subject"],
        unique=True,
        sqlite_where=sa.text("state = 'waiting'"),
        postgresql_where=sa.text("state = 'waiting'"),
    )
    op.create_index("ix_announcement_due", "announcement", ["listener_id", "state", "id"])
