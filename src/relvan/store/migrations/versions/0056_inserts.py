"""What goes into parcels besides the goods."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Json

revision = "0056"
down_revision = "0055"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "parcel_insert",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("told", Json, nullable=False),
        sqlite_strict=True,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
