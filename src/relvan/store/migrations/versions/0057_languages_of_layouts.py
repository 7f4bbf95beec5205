"""The language that a layout of papers is for."""

import sqlalchemy as sa
from alembic import op

revision = "0057"
down_revision = "0056"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("layout", sa.Column("language", sa.Text, nullable=False, server_default=""))


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
