"""Adds the firm, the code of the first visit, how numbers are written, the kind and the pick-up of
warehouses, and closed bins.
"""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag, Instant, Json

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "firm",
        sa.Column("id", sa.Integer, primary_key=True),
        *(
            sa.Column(name, sa.Text, nullable=False)
            for name in ("name", "vat_number", "eori", "currency", "locale", "time_zone")
        ),
        sa.Column("address", Json, nullable=False),
        sa.Column("skipped", Json, nullable=False),
        sqlite_strict=True,
    )
    op.create_table(
        "first_visit",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("code_hash", sa.Text, nullable=False),
        sa.Column("made_at", Instant, nullable=False),
        sqlite_strict=True,
    )
    op.add_column("counter", sa.Column("pattern", sa.Text, nullable=False, server_default=""))
    op.add_column("warehouse", sa.Column("kind", sa.Text, nullable=False, server_default="own"))
    op.add_column("warehouse", sa.Column("pick_up", Json, nullable=False, server_default="{}"))
    op.add_column("bin", sa.Column("closed", Flag, nullable=False, server_default="0"))


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
