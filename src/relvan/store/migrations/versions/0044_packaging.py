"""The firm says what the packaging of a parcel costs."""

import sqlalchemy as sa
from alembic import op

revision = "0044"
down_revision = "0043"
branch_labels = None
depends_on = None


def upgrade() -> None:
    column = sa.Column("packaging", sa.Integer, nullable=False, server_default="0")
    op.add_column("firm", column)


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
