"""Adds rates of tax by country, code and day, and where the seller is registered."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Json

revision = "0028"
down_revision = "0027"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "tax_rate",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("country", sa.Text, nullable=False),
        sa.Column("code", sa.Text, nullable=False),
        sa.Column("since", sa.Text, nullable=False),
        sa.Column("percent", sa.Text, nullable=False),
        sa.Column("origin", sa.Text, nullable=False, server_default=""),
        sqlite_strict=True,
    )
    op.create_index("uq_tax_rate", "tax_rate", ["country", "code", "since"], unique=True)
    op.add_column("firm", sa.Column("registered", Json, nullable=False, server_default="[]"))


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
