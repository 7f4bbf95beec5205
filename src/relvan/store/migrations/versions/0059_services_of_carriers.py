"""The names of the services of a carrier account."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Json

revision = "0059"
down_revision = "0058"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("carrier", sa.Column("services", Json, nullable=False, server_default="{}"))


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
