"""Adds the mail server, and when the certificates of addresses that are called end."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag, Instant

revision = "0033"
down_revision = "0032"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "mail_server",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("host", sa.Text, nullable=False),
        sa.Column("port", sa.Integer, nullable=False),
        sa.Column("security", sa.Text, nullable=False),
        sa.Column("login", sa.Text, nullable=False),
        sa.Column("sender", sa.Text, nullable=False),
        sa.Column("password", sa.Text, nullable=False),
        sa.Column("tried_at", Instant, nullable=True),
        sa.Column("answer", sa.Text, nullable=False),
        sa.Column("works", Flag, nullable=False),
        sqlite_strict=True,
    )
    op.create_table(
        "certificate",
        sa.Column("address", sa.Text, primary_key=True),
        sa.Column("seen_at", Instant, nullable=False),
        sa.Column("ends_at", Instant, nullable=True),
        sa.Column("trouble", sa.Text, nullable=False),
        sqlite_strict=True,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
