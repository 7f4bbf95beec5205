"""Adds to API tokens what each may do, its last day, and when it was last used; and to sign-ins
from where they are.
"""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Instant, Json

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("api_token", sa.Column("rights", Json, nullable=False, server_default="[]"))
    op.add_column("api_token", sa.Column("last_day", sa.Text, nullable=True))
    op.add_column("api_token", sa.Column("used_at", Instant, nullable=True))
    op.add_column("visit", sa.Column("address", sa.Text, nullable=False, server_default=""))
    op.add_column("visit", sa.Column("agent", sa.Text, nullable=False, server_default=""))
    op.create_index("ix_visit_person_id", "visit", ["person_id"])


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
