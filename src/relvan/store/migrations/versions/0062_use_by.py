"""The day by which goods must be used, of what came and of what lies in a bin."""

import sqlalchemy as sa
from alembic import op

revision = "0062"
down_revision = "0061"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("movement", sa.Column("use_by", sa.Text, nullable=True))
    op.add_column("bin_balance", sa.Column("use_by", sa.Text, nullable=True))


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
