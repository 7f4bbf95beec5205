"""Orders are found by words of their customer, mail address and reference."""

from alembic import op

from relvan.store import order_search

revision = "0066"
down_revision = "0065"
branch_labels = None
depends_on = None


def upgrade() -> None:
    here = op.get_bind().dialect.name == "sqlite"
    for statement in order_search.CREATE if here else order_search.CREATE_ON_SERVER:
        op.execute(statement)


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
