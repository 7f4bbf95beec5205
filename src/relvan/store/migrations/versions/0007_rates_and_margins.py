"""Adds conversion rates with their days, and to channels a least margin and the cost at which
delivery is counted.
"""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Instant

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("channel", sa.Column("least_margin", sa.Text(), nullable=True))
    op.add_column(
        "channel", sa.Column("delivery_cost", sa.Integer(), nullable=False, server_default="0")
    )
    op.create_table(
        "currency_rate",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("target", sa.Text(), nullable=False),
        sa.Column("rate", sa.Text(), nullable=False),
        sa.Column("since", sa.Text(), nullable=False),
        sa.Column("made_at", Instant(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_currency_rate")),
        sqlite_strict=True,
    )
    op.create_index(
        "uq_currency_rate_day", "currency_rate", ["source", "target", "since"], unique=True
    )
