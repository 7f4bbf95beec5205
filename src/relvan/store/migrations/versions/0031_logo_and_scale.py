"""Adds the firm's logo, by the file of its picture, and the address of its scale."""

import sqlalchemy as sa
from alembic import op

revision = "0031"
down_revision = "0030"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("firm", sa.Column("logo", sa.Text, nullable=False, server_default=""))
    op.add_column("firm", sa.Column("scale", sa.Text, nullable=False, server_default=""))


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
