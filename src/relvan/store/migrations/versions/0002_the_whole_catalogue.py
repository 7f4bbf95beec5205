"""Creates the tables of the whole catalogue."""

import sqlalchemy as sa
from alembic import op

import relvan.store.types

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "attribute",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("name_key", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("unit", sa.Text(), nullable=False),
        sa.Column("choices", relvan.store.types.Json(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_attribute")),
        sa.UniqueConstraint("name_key", name=op.f("uq_attribute_name_key")),
        sqlite_strict=True,
    )
    op.create_table(
        "category",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("path", sa.Text(), nullable=False),
        sa.Column("path_key", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_category")),
        sa.UniqueConstraint("path_key", name=op.f("uq_category_path_key")),
        sqlite_strict=True,
    )
    op.create_table(
        "mapping",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("name_key", sa.Text(), nullable=False),
        sa.Column("columns", relvan.store.types.Json(), nullable=False),
        sa.Column("options", relvan.store.types.Json(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_mapping")),
        sa.UniqueConstraint("name_key", name=op.f("uq_mapping_name_key")),
        sqlite_strict=True,
    )
    op.create_table(
        "category_attribute",
        sa.Column("category_id", sa.Integer(), nullable=False),
        sa.Column("attribute_id", sa.Integer(), nullable=False),
        sa.Column("needed", relvan.store.types.Flag(), nullable=False),
        sa.ForeignKeyConstraint(
            ["attribute_id"],
            ["attribute.id"],
            name=op.f("fk_category_attribute_attribute_id"),
            ondelete="CASCADE",
        ),
        sa.ForeignKeyConstraint(
            ["category_id"],
            ["category.id"],
            name=op.f("fk_category_attribute_category_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("category_id", "attribute_id", name=op.f("pk_category_attribute")),
        sqlite_strict=True,
    )
    op.create_table(
        "kit_part",
        sa.Column("kit_id", sa.Integer(), nullable=False),
        sa.Column("part_id", sa.Integer(), nullable=False),
        sa.Column("quantity", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.CheckConstraint("kit_id <> part_id", name=op.f("ck_kit_part_itself")),
        sa.CheckConstraint("quantity > 0", name=op.f("ck_kit_part_quantity")),
        sa.ForeignKeyConstraint(
            ["kit_id"], ["product.id"], name=op.f("fk_kit_part_kit_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["part_id"], ["product.id"], name=op.f("fk_kit_part_part_id")),
        sa.PrimaryKeyConstraint("kit_id", "part_id", name=op.f("pk_kit_part")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("kit_part", table_kwargs={"sqlite_strict": True}) as batch_op:
        batch_op.create_index("ix_kit_part_part_id", ["part_id"], unique=False)

    op.create_table(
        "price_break",
        sa.Column("price_list_id", sa.Integer(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("least", sa.Integer(), nullable=False),
        sa.Column("amount", sa.Integer(), nullable=False),
        sa.CheckConstraint("amount > 0", name=op.f("ck_price_break_amount")),
        sa.CheckConstraint("least > 1", name=op.f("ck_price_break_least")),
        sa.ForeignKeyConstraint(
            ["price_list_id"], ["price_list.id"], name=op.f("fk_price_break_price_list_id")
        ),
        sa.ForeignKeyConstraint(
            ["product_id"],
            ["product.id"],
            name=op.f("fk_price_break_product_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint(
            "price_list_id", "product_id", "least", name=op.f("pk_price_break")
        ),
        sqlite_strict=True,
    )
    with op.batch_alter_table("price_break", table_kwargs={"sqlite_strict": True}) as batch_op:
        batch_op.create_index("ix_price_break_product_id", ["product_id"], unique=False)

    op.execute("ALTER TABLE audit_entry ADD COLUMN job_id INTEGER REFERENCES bulk_job (id)")
    with op.batch_alter_table("audit_entry", table_kwargs={"sqlite_strict": True}) as batch_op:
        batch_op.create_index("ix_audit_entry_kind", ["subject_kind", "id"], unique=False)

    with op.batch_alter_table("bulk_job", table_kwargs={"sqlite_strict": True}) as batch_op:
        batch_op.add_column(
            sa.Column("spec", relvan.store.types.Json(), server_default="{}", nullable=False)
        )
        batch_op.add_column(
            sa.Column("counts", relvan.store.types.Json(), server_default="{}", nullable=False)
        )
        batch_op.add_column(sa.Column("trouble", sa.Text(), server_default="", nullable=False))

    with op.batch_alter_table("bulk_job_row", table_kwargs={"sqlite_strict": True}) as batch_op:
        batch_op.add_column(sa.Column("change", relvan.store.types.Json(), nullable=True))
        batch_op.add_column(sa.Column("leader", sa.Integer(), nullable=True))
        batch_op.add_column(sa.Column("turn", sa.Integer(), server_default="0", nullable=False))
        batch_op.create_index(
            "ix_bulk_job_row_verdict", ["job_id", "verdict", "turn", "position"], unique=False
        )

    with op.batch_alter_table("listing", table_kwargs={"sqlite_strict": True}) as batch_op:
        batch_op.add_column(sa.Column("alias", sa.Text(), server_default="", nullable=False))
        batch_op.drop_constraint(batch_op.f("uq_listing_channel_id_product_id"), type_="unique")
        batch_op.create_index(
            "uq_listing_place", ["channel_id", "product_id", "alias"], unique=True
        )

    op.execute("ALTER TABLE order_line ADD COLUMN part_of INTEGER REFERENCES order_line (id)")
    with op.batch_alter_table("order_line", table_kwargs={"sqlite_strict": True}) as batch_op:
        batch_op.add_column(
            sa.Column("apart", relvan.store.types.Flag(), server_default="0", nullable=False)
        )
        batch_op.create_index(
            "ix_order_line_part_of",
            ["part_of"],
            unique=False,
            sqlite_where=sa.text("part_of IS NOT NULL"),
        )

    op.execute("ALTER TABLE product ADD COLUMN family_id INTEGER REFERENCES product (id)")
    with op.batch_alter_table("product", table_kwargs={"sqlite_strict": True}) as batch_op:
        batch_op.add_column(sa.Column("asked", sa.Integer(), server_default="4", nullable=False))
        batch_op.add_column(
            sa.Column("traits", relvan.store.types.Json(), server_default="{}", nullable=False)
        )
        batch_op.add_column(
            sa.Column("axes", relvan.store.types.Json(), server_default="[]", nullable=False)
        )
        batch_op.add_column(sa.Column("combination", sa.Text(), nullable=True))
        batch_op.add_column(
            sa.Column("parts_apart", relvan.store.types.Flag(), server_default="0", nullable=False)
        )
        batch_op.add_column(sa.Column("case_quantity", sa.Integer(), nullable=True))
        batch_op.add_column(sa.Column("case_weight_g", sa.Integer(), nullable=True))
        batch_op.add_column(sa.Column("case_length_mm", sa.Integer(), nullable=True))
        batch_op.add_column(sa.Column("case_width_mm", sa.Integer(), nullable=True))
        batch_op.add_column(sa.Column("case_height_mm", sa.Integer(), nullable=True))
        batch_op.add_column(
            sa.Column("hazardous", relvan.store.types.Flag(), server_default="0", nullable=False)
        )
        batch_op.add_column(
            sa.Column("fragile", relvan.store.types.Flag(), server_default="0", nullable=False)
        )
        batch_op.add_column(
            sa.Column("this_way_up", relvan.store.types.Flag(), server_default="0", nullable=False)
        )
        batch_op.add_column(sa.Column("origin", sa.Text(), server_default="", nullable=False))
        batch_op.add_column(sa.Column("hs_code", sa.Text(), server_default="", nullable=False))
        batch_op.add_column(sa.Column("supplier", sa.Text(), server_default="", nullable=False))
        batch_op.add_column(sa.Column("minimum_order", sa.Integer(), nullable=True))
        batch_op.create_index(
            "ix_product_archived",
            ["id"],
            unique=False,
            sqlite_where=sa.text("archived_at IS NOT NULL"),
        )
        batch_op.create_index(
            "ix_product_family_id",
            ["family_id"],
            unique=False,
            sqlite_where=sa.text("family_id IS NOT NULL"),
        )
        batch_op.create_index("ix_product_kind", ["kind", "sku_key"], unique=False)
        batch_op.create_index("uq_product_combination", ["family_id", "combination"], unique=True)

    with op.batch_alter_table("product_picture", table_kwargs={"sqlite_strict": True}) as batch_op:
        batch_op.add_column(sa.Column("role", sa.Text(), server_default="shown", nullable=False))

    with op.batch_alter_table("sku_name", table_kwargs={"sqlite_strict": True}) as batch_op:
        batch_op.add_column(sa.Column("title", sa.Text(), server_default="", nullable=False))
        batch_op.add_column(sa.Column("picture", sa.Text(), server_default="", nullable=False))
        batch_op.add_column(
            sa.Column("prices", relvan.store.types.Json(), server_default="{}", nullable=False)
        )

    # every category in use gets its place in the tree
    op.execute(
        "INSERT INTO category (path, path_key) SELECT min(category), lower(category) FROM product"
        " WHERE category <> '' GROUP BY lower(category)"
    )


def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
