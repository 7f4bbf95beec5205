"""Adds layers, translations, families' pages, catalogue pages, found listings, and updates that are
answered by sheet.
"""

import sqlalchemy as sa
from alembic import op

from relvan.store.types import Flag, Instant, Json

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    _change_listing()
    _change_outbox()
    _make_layers()
    _make_translation()
    _make_findings()


def _change_listing() -> None:
    op.execute("ALTER TABLE listing ADD COLUMN head_id INTEGER REFERENCES listing (id)")
    op.add_column("listing", sa.Column("must", Flag(), nullable=False, server_default="0"))
    op.add_column("listing", sa.Column("is_head", Flag(), nullable=False, server_default="0"))
    op.add_column("listing", sa.Column("sent_fields", Json(), nullable=False, server_default="{}"))
    op.create_index(
        "ix_listing_head_id", "listing", ["head_id"], sqlite_where=sa.text("head_id IS NOT NULL")
    )
    op.add_column("listing", sa.Column("category", sa.Text(), nullable=False, server_default=""))
    op.add_column("listing", sa.Column("followed", Flag(), nullable=False, server_default="1"))
    op.create_index(
        "ix_listing_heads", "listing", ["channel_id", "state"], sqlite_where=sa.text("is_head = 1")
    )
    op.create_index(
        "ix_listing_gapped", "listing", ["channel_id", "id"], sqlite_where=sa.text("gap_count > 0")
    )
    op.create_index("ix_listing_channel_id_state", "listing", ["channel_id", "state", "id"])


def _change_outbox() -> None:
    op.add_column("outbox_entry", sa.Column("sheet", sa.Text(), nullable=False, server_default=""))
    op.add_column("outbox_entry", sa.Column("sent", Json(), nullable=False, server_default="{}"))
    handed_in = sa.text("state = 'handed in'")
    op.create_index(
        "ix_outbox_entry_sheet", "outbox_entry", ["channel_id", "sheet"], sqlite_where=handed_in
    )
    about = sa.text("listing_id IS NOT NULL")
    op.create_index(
        "ix_bulk_job_row_listing_id", "bulk_job_row", ["listing_id"], sqlite_where=about
    )


def _make_layers() -> None:
    op.create_table(
        "layer",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("channel_id", sa.Integer(), nullable=False),
        sa.Column("topic", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("name_key", sa.Text(), nullable=False),
        sa.Column("values", Json(), nullable=False),
        sa.Column("standing_for", sa.Text()),
        sa.Column("changed_at", Instant(), nullable=False),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name=op.f("fk_layer_channel_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_layer")),
        sqlite_strict=True,
    )
    op.create_index("uq_layer_name", "layer", ["channel_id", "topic", "name_key"], unique=True)
    op.create_table(
        "listing_layer",
        sa.Column("listing_id", sa.Integer(), nullable=False),
        sa.Column("topic", sa.Text(), nullable=False),
        sa.Column("layer_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["listing_id"],
            ["listing.id"],
            name=op.f("fk_listing_layer_listing_id"),
            ondelete="CASCADE",
        ),
        sa.ForeignKeyConstraint(["layer_id"], ["layer.id"], name=op.f("fk_listing_layer_layer_id")),
        sa.PrimaryKeyConstraint("listing_id", "topic", name=op.f("pk_listing_layer")),
        sqlite_strict=True,
    )
    op.create_index("ix_listing_layer_layer_id", "listing_layer", ["layer_id", "listing_id"])
    op.create_table(
        "layer_set",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("channel_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("name_key", sa.Text(), nullable=False),
        sa.Column("layers", Json(), nullable=False),
        sa.ForeignKeyConstraint(
            ["channel_id"], ["channel.id"], name=op.f("fk_layer_set_channel_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_layer_set")),
        sqlite_strict=True,
    )
    op.create_index("uq_layer_set_name", "layer_set", ["channel_id", "name_key"], unique=True)


def _make_translation() -> None:
    op.create_table(
        "translation",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("channel_id", sa.Integer(), nullable=False),
        sa.Column("category", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("field", sa.Text(), nullable=False),
        sa.Column("ours", sa.Text(), nullable=False),
        sa.Column("ours_key", sa.Text(), nullable=False),
        sa.Column("theirs", sa.Text(), nullable=False),
        sa.Column("changed_at", Instant(), nullable=False),
        sa.ForeignKeyConstraint(
            ["channel_id"], ["channel.id"], name=op.f("fk_translation_channel_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_translation")),
        sqlite_strict=True,
    )
    columns = ["channel_id", "category", "kind", "field", "ours_key"]
    op.create_index("uq_translation_ours", "translation", columns, unique=True)


def _make_findings() -> None:
    op.create_table(
        "page_search",
        sa.Column("listing_id", sa.Integer(), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("candidates", Json(), nullable=False),
        sa.Column("looked_at", Instant(), nullable=False),
        sa.ForeignKeyConstraint(
            ["listing_id"],
            ["listing.id"],
            name=op.f("fk_page_search_listing_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("listing_id", name=op.f("pk_page_search")),
        sqlite_strict=True,
    )
    texts = ("ref", "head", "sku", "gtin", "title", "brand", "page", "linked_by")
    op.create_table(
        "finding",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("channel_id", sa.Integer(), nullable=False),
        *(sa.Column(name, sa.Text(), nullable=False) for name in texts),
        *(
            sa.Column(name, sa.Integer(), nullable=False)
            for name in ("price", "quantity", "likeness")
        ),
        sa.Column("live", Flag(), nullable=False),
        sa.Column("centre", Flag(), nullable=False),
        *(
            sa.Column(name, Json(), nullable=False)
            for name in ("traits", "said", "pictures", "reasons")
        ),
        sa.Column("read_at", Instant(), nullable=False),
        sa.Column("listing_id", sa.Integer()),
        sa.Column("product_id", sa.Integer()),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name=op.f("fk_finding_channel_id")),
        sa.ForeignKeyConstraint(["listing_id"], ["listing.id"], name=op.f("fk_finding_listing_id")),
        sa.ForeignKeyConstraint(
            ["product_id"], ["product.id"], name=op.f("fk_finding_product_id"), ondelete="SET NULL"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_finding")),
        sqlite_strict=True,
    )
    op.create_index("uq_finding_ref", "finding", ["channel_id", "ref"], unique=True)
    op.create_index(
        "ix_finding_open",
        "finding",
        ["channel_id", "id"],
        sqlite_where=sa.text("listing_id IS NULL"),
    )
    op.create_index("ix_finding_listing_id", "finding", ["listing_id"])
