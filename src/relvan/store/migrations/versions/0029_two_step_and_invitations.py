"""Adds the second step of signing in, invitations by link, and whether owners must have two steps."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag, Instant, Json

revision = "0029"
down_revision = "0028"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("person", sa.Column("totp", sa.Text, nullable=False, server_default=""))
    op.add_column("person", sa.Column("totp_begun", sa.Text, nullable=False, server_default=""))
    op.add_column("person", sa.Column("totp_last", sa.Integer, nullable=False, server_default="0"))
    op.add_column("person", sa.Column("recovery", Json, nullable=False, server_default="[]"))
    op.add_column("person", sa.Column("invitation", sa.Text, nullable=False, server_default=""))
    op.add_column("person", sa.Column("invited_until", Instant, nullable=True))
    op.add_column("firm", sa.Column("two_step", Flag, nullable=False, server_default="0"))


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
