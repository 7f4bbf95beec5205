"""The bins of a warehouse in the order in which one walks by them, so that the nearest empty one is found."""

from alembic import op

revision = "0058"
down_revision = "0057"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index("ix_bin_way", "bin", ["warehouse_id", "closed", "purpose", "walk", "code"])


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
