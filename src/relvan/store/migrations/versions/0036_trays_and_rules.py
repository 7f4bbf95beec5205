"""Makes trays data, with the five that everybody has; adds rules, tags, notices, and what an order is
set aside for, whom it is assigned to, and since when it lies in its tray. A channel gets its way to
route orders and the tray where its orders start.
"""

import sqlalchemy as sa
from alembic import op

from relvan.store.portable import part_of
from relvan.store.types import Instant, Json

revision = "0036"
down_revision = "0035"
branch_labels = None
depends_on = None

FIRST = (
    ("inbox", "Inbox", "lake", "We have your order."),
    ("floor", "In the warehouse", "moss", "Your order is being packed."),
    ("short", "Short of stock", "clay", "We are waiting for goods."),
    ("closed", "Closed", "slate", "Your order has been sent."),
    ("cancelled", "Cancelled", "slate", "Your order has been cancelled."),
)


def _text(name: str) -> "sa.Column[str]":
    return sa.Column(name, sa.Text, nullable=False, server_default="")


def _add_columns() -> None:
    order = "customer_order"
    op.add_column(order, _text("country"))
    op.add_column(order, sa.Column("tray_since", Instant, nullable=True))
    op.add_column(order, sa.Column("aside_until", sa.Text, nullable=True))
    op.add_column(order, _text("aside_reason"))
    op.execute("ALTER TABLE customer_order ADD COLUMN assigned_id INTEGER REFERENCES person (id)")
    op.add_column("channel", _text("start_tray"))
    op.add_column("channel", sa.Column("routing", Json, nullable=False, server_default="{}"))


def _add_tables() -> None:
    tray = op.create_table(
        "tray",
        sa.Column("key", sa.Text, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("hue", sa.Text, nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("remind_days", sa.Integer, nullable=False, server_default="0"),
        _text("words"),
        sqlite_strict=True,
    )
    op.bulk_insert(
        tray,
        [
            {"key": key, "name": name, "hue": hue, "position": position, "words": words}
            for position, (key, name, hue, words) in enumerate(FIRST)
        ],
    )
    op.create_table(
        "order_rule",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("rule", Json, nullable=False),
        sqlite_strict=True,
    )
    owner = sa.ForeignKey("customer_order.id", name="fk_order_tag_order_id")
    op.create_table(
        "order_tag",
        sa.Column("order_id", sa.Integer, owner, primary_key=True),
        sa.Column("tag", sa.Text, primary_key=True),
        sqlite_strict=True,
    )
    owner = sa.ForeignKey("customer_order.id", name="fk_desk_run_order_id")
    op.create_table(
        "desk_run",
        sa.Column("order_id", sa.Integer, owner, primary_key=True),
        sa.Column("rule_id", sa.Integer, primary_key=True),
        sa.Column("since", Instant, nullable=False),
        sqlite_strict=True,
    )
    owner = sa.ForeignKey("customer_order.id", name="fk_order_notice_order_id")
    op.create_table(
        "order_notice",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("order_id", sa.Integer, owner, nullable=False),
        sa.Column("words", sa.Text, nullable=False),
        sa.Column("at", Instant, nullable=False),
        sqlite_strict=True,
    )


def _add_indexes() -> None:
    op.create_index("ix_order_tag_tag", "order_tag", ["tag", "order_id"])
    op.create_index("ix_order_notice_order_id", "order_notice", ["order_id"])
    op.create_index("ix_customer_order_country", "customer_order", ["country", "id"])
    op.create_index("ix_customer_order_tray_since", "customer_order", ["tray", "tray_since"])
    for name, column, condition in (
        ("ix_customer_order_waiting", "tray", sa.text("aside_until IS NULL")),
        ("ix_customer_order_aside_until", "aside_until", sa.text("aside_until IS NOT NULL")),
    ):
        op.create_index(
            name, "customer_order", [column], sqlite_where=condition, postgresql_where=condition
        )


def upgrade() -> None:
    _add_columns()
    _add_tables()
    order = sa.table(
        "customer_order",
        sa.column("country"),
        sa.column("ship_to", Json),
        sa.column("tray_since"),
        sa.column("taken_at"),
    )
    country = sa.func.coalesce(part_of(order.c.ship_to, "country"), "")
    op.execute(sa.update(order).values(country=country, tray_since=order.c.taken_at))
    _add_indexes()


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
