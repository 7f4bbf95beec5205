"""Texts of mails, the mails themselves, and to whom in the team alerts are mailed."""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag, Instant, Json

revision = "0042"
down_revision = "0041"
branch_labels = None
depends_on = None


def _text(name: str) -> "sa.Column[str]":
    return sa.Column(name, sa.Text, nullable=False)


def _empty(name: str) -> "sa.Column[str]":
    return sa.Column(name, sa.Text, nullable=False, server_default="")


def upgrade() -> None:
    op.add_column("mail_server", _empty("alerts_to"))
    op.create_table(
        "mail_text",
        sa.Column("id", sa.Integer, primary_key=True),
        _text("name"),
        _text("event"),
        _empty("channel"),
        _empty("language"),
        _text("subject"),
        _text("body"),
        sa.Column("automatic", Flag, nullable=False),
        sqlite_strict=True,
    )
    order = sa.ForeignKey("customer_order.id", name="fk_mail_order_id")
    estimate = sa.ForeignKey("estimate.id", name="fk_mail_estimate_id")
    person = sa.ForeignKey("person.id", name="fk_mail_person_id")
    states = "state IN ('waiting', 'sending', 'sent', 'unsure', 'refused')"
    op.create_table(
        "mail",
        sa.Column("id", sa.Integer, primary_key=True),
        _text("key"),
        _text("event"),
        sa.Column("order_id", sa.Integer, order),
        sa.Column("estimate_id", sa.Integer, estimate),
        sa.Column("text_id", sa.Integer),
        _text("recipient"),
        _text("subject"),
        _text("body"),
        sa.Column("papers", Json, nullable=False),
        _text("message_id"),
        _text("state"),
        sa.Column("tries", sa.Integer, nullable=False),
        sa.Column("next_at", Instant, nullable=False),
        _text("answer"),
        sa.Column("made_at", Instant, nullable=False),
        sa.Column("sent_at", Instant),
        sa.Column("person_id", sa.Integer, person),
        sa.UniqueConstraint("key", name="uq_mail_key"),
        sa.CheckConstraint(states, name="ck_mail_state"),
        sqlite_strict=True,
    )
    some = sa.text("state IN ('waiting', 'sending')")
    op.create_index("ix_mail_due", "mail", ["next_at"], sqlite_where=some, postgresql_where=some)
    for name, columns in (
        ("order_id", ["order_id", "id"]),
        ("estimate_id", ["estimate_id", "id"]),
        ("state", ["state", "id"]),
        ("event", ["event", "id"]),
    ):
        op.create_index(f"ix_mail_{name}", "mail", columns)


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
