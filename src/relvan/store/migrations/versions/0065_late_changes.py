"""What notices of orders are about, and what a person chose about them."""

import sqlalchemy as sa
from alembic import op

revision = "0065"
down_revision = "0064"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for column in (
        sa.Column("kind", sa.Text, nullable=False, server_default="note"),
        sa.Column("line", sa.Integer, nullable=False, server_default="0"),
        sa.Column("units", sa.Integer, nullable=False, server_default="0"),
        sa.Column("choice", sa.Text, nullable=True),
    ):
        op.add_column("order_notice", column)


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
