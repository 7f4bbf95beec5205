"""The number that changes with the settings that processes keep."""

import sqlalchemy as sa
from alembic import op

revision = "0064"
down_revision = "0063"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "settings_mark",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("mark", sa.Integer().with_variant(sa.BigInteger(), "postgresql"), nullable=False),
        sqlite_strict=True,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
