"""How accounts at carriers are used, the seller's rules of carriage, and what parcels were sent with."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag, Json

revision = "0053"
down_revision = "0052"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("carrier", sa.Column("use", Json, nullable=False, server_default="{}"))
    signature = sa.Column("signature", Flag, nullable=False, server_default="0")
    op.add_column("parcel", signature)
    insured = sa.Column("insured", Flag, nullable=False, server_default="0")
    op.add_column("parcel", insured)
    op.create_table(
        "carriage_rule",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("rule", Json, nullable=False),
        sqlite_strict=True,
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
