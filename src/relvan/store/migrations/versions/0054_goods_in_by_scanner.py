"""Under which key goods of a return were received last."""

import sqlalchemy as sa
from alembic import op

revision = "0054"
down_revision = "0053"
branch_labels = None
depends_on = None


def upgrade() -> None:
    column = sa.Column("received_key", sa.Text, nullable=False, server_default="")
    op.add_column("order_return", column)


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
