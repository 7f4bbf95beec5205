"""Which pick another bin serves instead of, after a short pick."""

import sqlalchemy as sa
from alembic import op

revision = "0055"
down_revision = "0054"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("pick", sa.Column("instead_of", sa.Integer, nullable=True))
    op.create_index("ix_pick_instead_of", "pick", ["instead_of"])


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
