"""Adds an index that finds the update under way which another must follow, the topic of what a
channel refused, and the edition of a channel's rulebook.
"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

UNDER_WAY = sa.text("state IN ('sending', 'handed in')")


def upgrade() -> None:
    op.add_column("channel", sa.Column("book", sa.Text(), nullable=False, server_default=""))
    op.create_index(
        "ix_outbox_entry_under_way",
        "outbox_entry",
        ["channel_id", "subject", "topic"],
        sqlite_where=UNDER_WAY,
        postgresql_where=UNDER_WAY,
    )
    op.execute(
        """
        UPDATE listing SET refusal = (
            SELECT json_group_array(json_set(p.value, '$.topic', 'publish', '$.was', '')) FROM json_each(refusal) p
        ) WHERE refusal <> '[]'
        """
    )
