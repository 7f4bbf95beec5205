"""The whole catalogue."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("product", schema=None) as batch_op:
        batch_op.create_index(
            "ix_product_archived", ["id"], unique=False, sqlite_where=sa.text("archived_at IS NOT NULL")
        )


def downgrade() -> None:
    with op.batch_alter_table("product", schema=None) as batch_op:
        batch_op.drop_index("ix_product_archived", sqlite_where=sa.text("archived_at IS NOT NULL"))
