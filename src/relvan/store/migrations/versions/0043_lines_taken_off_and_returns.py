"""Lines of orders can be taken off, and returns are kept.

A line of which all units are taken off stays with none, so the check on its units is widened. SQLite
cannot change a check: the table is made anew from its own words, which keeps its other checks and
indexes as they are.
"""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Instant

revision = "0043"
down_revision = "0042"
branch_labels = None
depends_on = None


def _widen_in_the_box() -> None:
    connection = op.get_bind()
    found = sa.text(
        "SELECT type, sql FROM sqlite_master WHERE tbl_name = 'order_line' AND sql <> ''"
    )
    rows = [(kind, words) for kind, words in connection.execute(found)]
    words = next(words for kind, words in rows if kind == "table")
    made = words.replace("quantity > 0", "quantity >= 0").replace(
        "order_line", "order_line_made_anew", 1
    )
    for statement in (
        made,
        "INSERT INTO order_line_made_anew SELECT * FROM order_line",
        "DROP TABLE order_line",
        "ALTER TABLE order_line_made_anew RENAME TO order_line",
        *(words for kind, words in rows if kind == "index"),
    ):
        connection.exec_driver_sql(statement)


def upgrade() -> None:
    if op.get_bind().dialect.name == "sqlite":
        _widen_in_the_box()
    else:
        op.drop_constraint("ck_order_line_quantity", "order_line", type_="check")
        op.create_check_constraint("ck_order_line_quantity", "order_line", "quantity >= 0")
    off = sa.Column("taken_off", sa.Integer, nullable=False, server_default="0")
    op.add_column("order_line", off)
    order = sa.ForeignKey("customer_order.id", name="fk_order_return_order_id")
    person = sa.ForeignKey("person.id", name="fk_order_return_person_id")
    op.create_table(
        "order_return",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("number", sa.Text, nullable=False),
        sa.Column("order_id", sa.Integer, order, nullable=False),
        sa.Column("state", sa.Text, nullable=False),
        sa.Column("reason", sa.Text, nullable=False),
        sa.Column("refunded", sa.Integer, nullable=False, server_default="0"),
        sa.Column("credit_note", sa.Text, nullable=False, server_default=""),
        sa.Column("made_at", Instant, nullable=False),
        sa.Column("ended_at", Instant),
        sa.Column("person_id", sa.Integer, person),
        sa.UniqueConstraint("number", name="uq_order_return_number"),
        sa.CheckConstraint(
            "state IN ('expected', 'received', 'refunded', 'cancelled')",
            name="ck_order_return_state",
        ),
        sqlite_strict=True,
    )
    op.create_index("ix_order_return_order_id", "order_return", ["order_id"])
    op.create_index("ix_order_return_state", "order_return", ["state", "id"])
    of = sa.ForeignKey("order_return.id", name="fk_return_line_return_id")
    line = sa.ForeignKey("order_line.id", name="fk_return_line_order_line_id")
    counts = ("quantity", "to_stock", "to_blocked", "written_off")
    op.create_table(
        "return_line",
        sa.Column("return_id", sa.Integer, of, primary_key=True),
        sa.Column("order_line_id", sa.Integer, line, primary_key=True),
        *(sa.Column(name, sa.Integer, nullable=False) for name in counts),
        sa.CheckConstraint("quantity > 0", name="ck_return_line_quantity"),
        sqlite_strict=True,
    )
    op.create_index("ix_return_line_order_line_id", "return_line", ["order_line_id"])


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
