"""Creates the tables that one sale needs, from the product to the label."""

import sqlalchemy as sa
from alembic import op

import relvan.store.types
from relvan.store import search

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "carrier",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("token", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_carrier")),
        sa.UniqueConstraint("key", name=op.f("uq_carrier_key")),
        sqlite_strict=True,
    )
    op.create_table(
        "counter",
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("value", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_counter")),
        sqlite_strict=True,
    )
    op.create_table(
        "person",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("login", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("role", sa.Text(), nullable=False),
        sa.Column("password_hash", sa.Text(), nullable=False),
        sa.Column("active", relvan.store.types.Flag(), nullable=False),
        sa.Column("created_at", relvan.store.types.Instant(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person")),
        sa.UniqueConstraint("login", name=op.f("uq_person_login")),
        sqlite_strict=True,
    )
    op.create_table(
        "picture",
        sa.Column("sha", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("bytes", sa.Integer(), nullable=False),
        sa.Column("created_at", relvan.store.types.Instant(), nullable=False),
        sa.PrimaryKeyConstraint("sha", name=op.f("pk_picture")),
        sqlite_strict=True,
    )
    op.create_table(
        "price_list",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("currency", sa.Text(), nullable=False),
        sa.Column("tax_inside", relvan.store.types.Flag(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_price_list")),
        sa.UniqueConstraint("key", name=op.f("uq_price_list_key")),
        sqlite_strict=True,
    )
    op.create_table(
        "product",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("sku", sa.Text(), nullable=False),
        sa.Column("sku_key", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("title", sa.Text(), nullable=False),
        sa.Column("brand", sa.Text(), nullable=False),
        sa.Column("description", sa.Text(), nullable=False),
        sa.Column("gtin", sa.Text(), nullable=True),
        sa.Column("gtin_key", sa.Text(), nullable=True),
        sa.Column("category", sa.Text(), nullable=False),
        sa.Column("attributes", relvan.store.types.Json(), nullable=False),
        sa.Column("weight_g", sa.Integer(), nullable=True),
        sa.Column("length_mm", sa.Integer(), nullable=True),
        sa.Column("width_mm", sa.Integer(), nullable=True),
        sa.Column("height_mm", sa.Integer(), nullable=True),
        sa.Column("cost", sa.Integer(), nullable=True),
        sa.Column("floor", sa.Integer(), nullable=True),
        sa.Column("tax_code", sa.Text(), nullable=False),
        sa.Column("lacking", sa.Integer(), nullable=False),
        sa.Column("archived_at", relvan.store.types.Instant(), nullable=True),
        sa.Column("created_at", relvan.store.types.Instant(), nullable=False),
        sa.Column("changed_at", relvan.store.types.Instant(), nullable=False),
        sa.CheckConstraint("cost IS NULL OR cost >= 0", name=op.f("ck_product_cost")),
        sa.CheckConstraint("floor IS NULL OR floor >= 0", name=op.f("ck_product_floor")),
        sa.CheckConstraint("weight_g IS NULL OR weight_g > 0", name=op.f("ck_product_weight")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_product")),
        sa.UniqueConstraint("sku_key", name=op.f("uq_product_sku_key")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("product", schema=None) as batch_op:
        batch_op.create_index("ix_product_category", ["category", "sku_key"], unique=False)
        batch_op.create_index("ix_product_gtin_key", ["gtin_key"], unique=False)
        batch_op.create_index(
            "ix_product_lacking",
            ["sku_key"],
            unique=False,
            sqlite_where=sa.text("lacking > 0 AND archived_at IS NULL"),
        )
        batch_op.create_index(
            "ix_product_listed",
            ["sku_key"],
            unique=False,
            sqlite_where=sa.text("archived_at IS NULL"),
        )

    op.create_table(
        "sign_in_attempt",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("login", sa.Text(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("at", relvan.store.types.Instant(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_in_attempt")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("sign_in_attempt", schema=None) as batch_op:
        batch_op.create_index("ix_sign_in_attempt_at", ["at"], unique=False)

    op.create_table(
        "warehouse",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("address", relvan.store.types.Json(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_warehouse")),
        sa.UniqueConstraint("key", name=op.f("uq_warehouse_key")),
        sqlite_strict=True,
    )
    op.create_table(
        "api_token",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("token_hash", sa.Text(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("created_at", relvan.store.types.Instant(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_api_token_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_api_token")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_api_token_token_hash")),
        sqlite_strict=True,
    )
    op.create_table(
        "audit_entry",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", relvan.store.types.Instant(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column("via", sa.Text(), nullable=False),
        sa.Column("subject_kind", sa.Text(), nullable=False),
        sa.Column("subject_id", sa.Integer(), nullable=False),
        sa.Column("deed", sa.Text(), nullable=False),
        sa.Column("changes", relvan.store.types.Json(), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["person.id"], name=op.f("fk_audit_entry_person_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_audit_entry")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("audit_entry", schema=None) as batch_op:
        batch_op.create_index(
            "ix_audit_entry_subject", ["subject_kind", "subject_id", "id"], unique=False
        )

    op.create_table(
        "balance",
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("warehouse_id", sa.Integer(), nullable=False),
        sa.Column("on_hand", sa.Integer(), nullable=False),
        sa.Column("reserved", sa.Integer(), nullable=False),
        sa.Column("blocked", sa.Integer(), nullable=False),
        sa.Column("safety", sa.Integer(), nullable=False),
        sa.CheckConstraint("blocked >= 0", name=op.f("ck_balance_blocked")),
        sa.CheckConstraint("on_hand >= 0", name=op.f("ck_balance_on_hand")),
        sa.CheckConstraint("reserved >= 0", name=op.f("ck_balance_reserved")),
        sa.CheckConstraint("safety >= 0", name=op.f("ck_balance_safety")),
        sa.ForeignKeyConstraint(["product_id"], ["product.id"], name=op.f("fk_balance_product_id")),
        sa.ForeignKeyConstraint(
            ["warehouse_id"], ["warehouse.id"], name=op.f("fk_balance_warehouse_id")
        ),
        sa.PrimaryKeyConstraint("product_id", "warehouse_id", name=op.f("pk_balance")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("balance", schema=None) as batch_op:
        batch_op.create_index(
            "ix_balance_blocked", ["product_id"], unique=False, sqlite_where=sa.text("blocked > 0")
        )
        batch_op.create_index(
            "ix_balance_warehouse_id", ["warehouse_id", "product_id"], unique=False
        )

    op.create_table(
        "bin",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("warehouse_id", sa.Integer(), nullable=False),
        sa.Column("code", sa.Text(), nullable=False),
        sa.Column("walk", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["warehouse_id"], ["warehouse.id"], name=op.f("fk_bin_warehouse_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_bin")),
        sa.UniqueConstraint("warehouse_id", "code", name=op.f("uq_bin_warehouse_id_code")),
        sqlite_strict=True,
    )
    op.create_table(
        "bulk_job",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("title", sa.Text(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("refused", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column("created_at", relvan.store.types.Instant(), nullable=False),
        sa.Column("ended_at", relvan.store.types.Instant(), nullable=True),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_bulk_job_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_bulk_job")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("bulk_job", schema=None) as batch_op:
        batch_op.create_index("ix_bulk_job_state", ["state", "id"], unique=False)

    op.create_table(
        "channel",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("rulebook", sa.Text(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("token", sa.Text(), nullable=False),
        sa.Column("hook_secret", sa.Text(), nullable=False),
        sa.Column("price_list_id", sa.Integer(), nullable=False),
        sa.Column("price_steps", relvan.store.types.Json(), nullable=False),
        sa.Column("stock_policy", relvan.store.types.Json(), nullable=False),
        sa.Column("paused", relvan.store.types.Flag(), nullable=False),
        sa.Column("failures", sa.Integer(), nullable=False),
        sa.Column("last_error", sa.Text(), nullable=False),
        sa.Column("last_ok_at", relvan.store.types.Instant(), nullable=True),
        sa.Column("probe_at", relvan.store.types.Instant(), nullable=True),
        sa.Column("order_mark", sa.Integer(), nullable=False),
        sa.Column("orders_read_at", relvan.store.types.Instant(), nullable=True),
        sa.ForeignKeyConstraint(
            ["price_list_id"], ["price_list.id"], name=op.f("fk_channel_price_list_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_channel")),
        sa.UniqueConstraint("key", name=op.f("uq_channel_key")),
        sqlite_strict=True,
    )
    op.create_table(
        "kept_view",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("station", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("query", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_kept_view_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_kept_view")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("kept_view", schema=None) as batch_op:
        batch_op.create_index("ix_kept_view_person_station", ["person_id", "station"], unique=False)

    op.create_table(
        "list_price",
        sa.Column("price_list_id", sa.Integer(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("amount", sa.Integer(), nullable=False),
        sa.CheckConstraint("amount > 0", name=op.f("ck_list_price_amount")),
        sa.ForeignKeyConstraint(
            ["price_list_id"], ["price_list.id"], name=op.f("fk_list_price_price_list_id")
        ),
        sa.ForeignKeyConstraint(
            ["product_id"],
            ["product.id"],
            name=op.f("fk_list_price_product_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("price_list_id", "product_id", name=op.f("pk_list_price")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("list_price", schema=None) as batch_op:
        batch_op.create_index("ix_list_price_product_id", ["product_id"], unique=False)

    op.create_table(
        "pick_list",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Text(), nullable=False),
        sa.Column("warehouse_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column("created_at", relvan.store.types.Instant(), nullable=False),
        sa.Column("finished_at", relvan.store.types.Instant(), nullable=True),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_pick_list_person_id")),
        sa.ForeignKeyConstraint(
            ["warehouse_id"], ["warehouse.id"], name=op.f("fk_pick_list_warehouse_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pick_list")),
        sa.UniqueConstraint("number", name=op.f("uq_pick_list_number")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("pick_list", schema=None) as batch_op:
        batch_op.create_index("ix_pick_list_state", ["state", "id"], unique=False)

    op.create_table(
        "preference",
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("value", relvan.store.types.Json(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_preference_person_id")),
        sa.PrimaryKeyConstraint("person_id", "name", name=op.f("pk_preference")),
        sqlite_strict=True,
    )
    op.create_table(
        "product_picture",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("sha", sa.Text(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["product_id"],
            ["product.id"],
            name=op.f("fk_product_picture_product_id"),
            ondelete="CASCADE",
        ),
        sa.ForeignKeyConstraint(["sha"], ["picture.sha"], name=op.f("fk_product_picture_sha")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_product_picture")),
        sa.UniqueConstraint("product_id", "sha", name=op.f("uq_product_picture_product_id_sha")),
        sqlite_strict=True,
    )
    op.create_table(
        "sku_name",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("sku", sa.Text(), nullable=False),
        sa.Column("alias", relvan.store.types.Flag(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["product_id"], ["product.id"], name=op.f("fk_sku_name_product_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_sku_name")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("sku_name", schema=None) as batch_op:
        batch_op.create_index("ix_sku_name_product_id", ["product_id"], unique=False)

    op.create_table(
        "toast",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("at", relvan.store.types.Instant(), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("tone", sa.Text(), nullable=False),
        sa.Column("undo_path", sa.Text(), nullable=False),
        sa.Column("undo_fields", relvan.store.types.Json(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_toast_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_toast")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("toast", schema=None) as batch_op:
        batch_op.create_index("ix_toast_at", ["at"], unique=False)

    op.create_table(
        "visit",
        sa.Column("token_hash", sa.Text(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("csrf", sa.Text(), nullable=False),
        sa.Column("created_at", relvan.store.types.Instant(), nullable=False),
        sa.Column("expires_at", relvan.store.types.Instant(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_visit_person_id")),
        sa.PrimaryKeyConstraint("token_hash", name=op.f("pk_visit")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("visit", schema=None) as batch_op:
        batch_op.create_index("ix_visit_expires_at", ["expires_at"], unique=False)

    op.create_table(
        "bin_balance",
        sa.Column("bin_id", sa.Integer(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("on_hand", sa.Integer(), nullable=False),
        sa.Column("blocked", sa.Integer(), nullable=False),
        sa.CheckConstraint("blocked >= 0", name=op.f("ck_bin_balance_blocked")),
        sa.CheckConstraint("on_hand >= 0", name=op.f("ck_bin_balance_on_hand")),
        sa.ForeignKeyConstraint(["bin_id"], ["bin.id"], name=op.f("fk_bin_balance_bin_id")),
        sa.ForeignKeyConstraint(
            ["product_id"], ["product.id"], name=op.f("fk_bin_balance_product_id")
        ),
        sa.PrimaryKeyConstraint("bin_id", "product_id", name=op.f("pk_bin_balance")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("bin_balance", schema=None) as batch_op:
        batch_op.create_index("ix_bin_balance_product_id", ["product_id"], unique=False)

    op.create_table(
        "customer_order",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Text(collation="NOCASE"), nullable=False),
        sa.Column("channel_id", sa.Integer(), nullable=True),
        sa.Column("channel_number", sa.Text(collation="NOCASE"), nullable=True),
        sa.Column("channel_mark", sa.Integer(), nullable=False),
        sa.Column("tray", sa.Text(), nullable=False),
        sa.Column("customer", sa.Text(collation="NOCASE"), nullable=False),
        sa.Column("ship_to", relvan.store.types.Json(), nullable=False),
        sa.Column("currency", sa.Text(), nullable=False),
        sa.Column("delivery_price", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("paid", sa.Integer(), nullable=False),
        sa.Column("units", sa.Integer(), nullable=False),
        sa.Column("placed_at", relvan.store.types.Instant(), nullable=False),
        sa.Column("taken_at", relvan.store.types.Instant(), nullable=False),
        sa.Column("cancelled_at", relvan.store.types.Instant(), nullable=True),
        sa.Column("fact_reserved", sa.Text(), nullable=False),
        sa.Column("fact_picked", sa.Text(), nullable=False),
        sa.Column("fact_shipped", sa.Text(), nullable=False),
        sa.Column("fact_invoiced", sa.Text(), nullable=False),
        sa.Column("fact_paid", sa.Text(), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["channel_id"], ["channel.id"], name=op.f("fk_customer_order_channel_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_customer_order")),
        sa.UniqueConstraint(
            "channel_id", "channel_number", name=op.f("uq_customer_order_channel_id_channel_number")
        ),
        sa.UniqueConstraint("number", name=op.f("uq_customer_order_number")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("customer_order", schema=None) as batch_op:
        batch_op.create_index("ix_customer_order_channel_id", ["channel_id", "id"], unique=False)
        batch_op.create_index("ix_customer_order_channel_number", ["channel_number"], unique=False)
        batch_op.create_index("ix_customer_order_customer", ["customer"], unique=False)
        batch_op.create_index("ix_customer_order_tray", ["tray", "id"], unique=False)

    op.create_table(
        "lag_sample",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("channel_id", sa.Integer(), nullable=False),
        sa.Column("at", relvan.store.types.Instant(), nullable=False),
        sa.Column("seconds", sa.REAL(), nullable=False),
        sa.ForeignKeyConstraint(
            ["channel_id"], ["channel.id"], name=op.f("fk_lag_sample_channel_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_lag_sample")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("lag_sample", schema=None) as batch_op:
        batch_op.create_index("ix_lag_sample_channel_id", ["channel_id", "at"], unique=False)

    op.create_table(
        "listing",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("channel_id", sa.Integer(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("own", relvan.store.types.Json(), nullable=False),
        sa.Column("wish", sa.Text(), nullable=False),
        sa.Column("placed", relvan.store.types.Flag(), nullable=False),
        sa.Column("shown", relvan.store.types.Flag(), nullable=False),
        sa.Column("ref", sa.Text(), nullable=False),
        sa.Column("page", sa.Text(), nullable=False),
        sa.Column("refusal", relvan.store.types.Json(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("behind", sa.Text(), nullable=False),
        sa.Column("gaps", relvan.store.types.Json(), nullable=False),
        sa.Column("gap_count", sa.Integer(), nullable=False),
        sa.Column("demands", sa.Integer(), nullable=False),
        sa.Column("met", sa.Integer(), nullable=False),
        sa.Column("price", sa.Integer(), nullable=True),
        sa.Column("floored", relvan.store.types.Flag(), nullable=False),
        sa.Column("quantity", sa.Integer(), nullable=False),
        sa.Column("held_content", sa.Text(), nullable=False),
        sa.Column("held_pictures", sa.Text(), nullable=False),
        sa.Column("sent_content", sa.Text(), nullable=False),
        sa.Column("sent_pictures", sa.Text(), nullable=False),
        sa.Column("sent_price", sa.Integer(), nullable=True),
        sa.Column("sent_quantity", sa.Integer(), nullable=True),
        sa.Column("created_at", relvan.store.types.Instant(), nullable=False),
        sa.Column("changed_at", relvan.store.types.Instant(), nullable=False),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name=op.f("fk_listing_channel_id")),
        sa.ForeignKeyConstraint(["product_id"], ["product.id"], name=op.f("fk_listing_product_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_listing")),
        sa.UniqueConstraint(
            "channel_id", "product_id", name=op.f("uq_listing_channel_id_product_id")
        ),
        sqlite_strict=True,
    )
    with op.batch_alter_table("listing", schema=None) as batch_op:
        batch_op.create_index(
            "ix_listing_floored", ["id"], unique=False, sqlite_where=sa.text("floored = 1")
        )
        batch_op.create_index("ix_listing_product_id", ["product_id"], unique=False)
        batch_op.create_index("ix_listing_ref", ["channel_id", "ref"], unique=False)
        batch_op.create_index("ix_listing_state", ["state", "id"], unique=False)

    op.create_table(
        "repeated_call",
        sa.Column("token_id", sa.Integer(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("fingerprint", sa.Text(), nullable=False),
        sa.Column("status", sa.Integer(), nullable=True),
        sa.Column("body", sa.Text(), nullable=False),
        sa.Column("at", relvan.store.types.Instant(), nullable=False),
        sa.ForeignKeyConstraint(
            ["token_id"], ["api_token.id"], name=op.f("fk_repeated_call_token_id")
        ),
        sa.PrimaryKeyConstraint("token_id", "key", name=op.f("pk_repeated_call")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("repeated_call", schema=None) as batch_op:
        batch_op.create_index("ix_repeated_call_at", ["at"], unique=False)

    op.create_table(
        "supply_warehouse",
        sa.Column("channel_id", sa.Integer(), nullable=False),
        sa.Column("warehouse_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["channel_id"], ["channel.id"], name=op.f("fk_supply_warehouse_channel_id")
        ),
        sa.ForeignKeyConstraint(
            ["warehouse_id"], ["warehouse.id"], name=op.f("fk_supply_warehouse_warehouse_id")
        ),
        sa.PrimaryKeyConstraint("channel_id", "warehouse_id", name=op.f("pk_supply_warehouse")),
        sqlite_strict=True,
    )
    op.create_table(
        "bulk_job_row",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("subject", sa.Text(), nullable=False),
        sa.Column("listing_id", sa.Integer(), nullable=True),
        sa.Column("verdict", sa.Text(), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["job_id"], ["bulk_job.id"], name=op.f("fk_bulk_job_row_job_id")),
        sa.ForeignKeyConstraint(
            ["listing_id"], ["listing.id"], name=op.f("fk_bulk_job_row_listing_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_bulk_job_row")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("bulk_job_row", schema=None) as batch_op:
        batch_op.create_index("ix_bulk_job_row_job_id", ["job_id", "position"], unique=False)

    op.create_table(
        "order_line",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("order_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("channel_line", sa.Text(), nullable=False),
        sa.Column("sku", sa.Text(), nullable=False),
        sa.Column("title", sa.Text(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=True),
        sa.Column("stocked", relvan.store.types.Flag(), nullable=False),
        sa.Column("quantity", sa.Integer(), nullable=False),
        sa.Column("unit_price", sa.Integer(), nullable=False),
        sa.Column("tax", sa.Integer(), nullable=False),
        sa.Column("picked", sa.Integer(), nullable=False),
        sa.Column("shipped", sa.Integer(), nullable=False),
        sa.CheckConstraint("picked BETWEEN 0 AND quantity", name=op.f("ck_order_line_picked")),
        sa.CheckConstraint("quantity > 0", name=op.f("ck_order_line_quantity")),
        sa.CheckConstraint("shipped BETWEEN 0 AND quantity", name=op.f("ck_order_line_shipped")),
        sa.ForeignKeyConstraint(
            ["order_id"], ["customer_order.id"], name=op.f("fk_order_line_order_id")
        ),
        sa.ForeignKeyConstraint(
            ["product_id"], ["product.id"], name=op.f("fk_order_line_product_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_order_line")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("order_line", schema=None) as batch_op:
        batch_op.create_index("ix_order_line_order_id", ["order_id"], unique=False)
        batch_op.create_index("ix_order_line_product_id", ["product_id"], unique=False)

    op.create_table(
        "shipment",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Text(), nullable=False),
        sa.Column("order_id", sa.Integer(), nullable=False),
        sa.Column("warehouse_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("created_at", relvan.store.types.Instant(), nullable=False),
        sa.Column("dispatched_at", relvan.store.types.Instant(), nullable=True),
        sa.ForeignKeyConstraint(
            ["order_id"], ["customer_order.id"], name=op.f("fk_shipment_order_id")
        ),
        sa.ForeignKeyConstraint(
            ["warehouse_id"], ["warehouse.id"], name=op.f("fk_shipment_warehouse_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_shipment")),
        sa.UniqueConstraint("number", name=op.f("uq_shipment_number")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("shipment", schema=None) as batch_op:
        batch_op.create_index("ix_shipment_order_id", ["order_id"], unique=False)
        batch_op.create_index("ix_shipment_state", ["state", "id"], unique=False)

    op.create_table(
        "movement",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("at", relvan.store.types.Instant(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("warehouse_id", sa.Integer(), nullable=False),
        sa.Column("bin_id", sa.Integer(), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.Column("on_hand", sa.Integer(), nullable=False),
        sa.Column("blocked", sa.Integer(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column("shipment_id", sa.Integer(), nullable=True),
        sa.Column("request_key", sa.Text(), nullable=True),
        sa.CheckConstraint(
            "on_hand <> 0 OR blocked <> 0 OR reason IN ('count', 'opening', 'undo')",
            name=op.f("ck_movement_moves"),
        ),
        sa.ForeignKeyConstraint(["bin_id"], ["bin.id"], name=op.f("fk_movement_bin_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_movement_person_id")),
        sa.ForeignKeyConstraint(
            ["product_id"], ["product.id"], name=op.f("fk_movement_product_id")
        ),
        sa.ForeignKeyConstraint(
            ["shipment_id"], ["shipment.id"], name=op.f("fk_movement_shipment_id")
        ),
        sa.ForeignKeyConstraint(
            ["warehouse_id"], ["warehouse.id"], name=op.f("fk_movement_warehouse_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_movement")),
        sa.UniqueConstraint("request_key", name=op.f("uq_movement_request_key")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("movement", schema=None) as batch_op:
        batch_op.create_index("ix_movement_product_id", ["product_id", "id"], unique=False)
        batch_op.create_index("ix_movement_shipment_id", ["shipment_id"], unique=False)

    op.create_table(
        "outbox_entry",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("channel_id", sa.Integer(), nullable=False),
        sa.Column("subject", sa.Text(), nullable=False),
        sa.Column("topic", sa.Text(), nullable=False),
        sa.Column("urgency", sa.Integer(), nullable=False),
        sa.Column("payload", relvan.store.types.Json(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("unsure", relvan.store.types.Flag(), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("due_at", relvan.store.types.Instant(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("listing_id", sa.Integer(), nullable=True),
        sa.Column("job_row_id", sa.Integer(), nullable=True),
        sa.Column("caused_at", relvan.store.types.Instant(), nullable=True),
        sa.Column("created_at", relvan.store.types.Instant(), nullable=False),
        sa.Column("taken_by", sa.Text(), nullable=False),
        sa.Column("taken_until", relvan.store.types.Instant(), nullable=True),
        sa.Column("ended_at", relvan.store.types.Instant(), nullable=True),
        sa.Column("answer", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["channel_id"], ["channel.id"], name=op.f("fk_outbox_entry_channel_id")
        ),
        sa.ForeignKeyConstraint(
            ["job_row_id"], ["bulk_job_row.id"], name=op.f("fk_outbox_entry_job_row_id")
        ),
        sa.ForeignKeyConstraint(
            ["listing_id"], ["listing.id"], name=op.f("fk_outbox_entry_listing_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_outbox_entry")),
        sa.UniqueConstraint("key", name=op.f("uq_outbox_entry_key")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("outbox_entry", schema=None) as batch_op:
        batch_op.create_index(
            "ix_outbox_entry_due", ["state", "channel_id", "urgency", "due_at"], unique=False
        )
        batch_op.create_index("ix_outbox_entry_listing_id", ["listing_id"], unique=False)
        batch_op.create_index(
            "uq_outbox_entry_waiting",
            ["channel_id", "subject", "topic"],
            unique=True,
            sqlite_where=sa.text("state = 'waiting'"),
            postgresql_where=sa.text("state = 'waiting'"),
        )

    op.create_table(
        "parcel",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shipment_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("weight_g", sa.Integer(), nullable=False),
        sa.Column("carton", sa.Text(), nullable=False),
        sa.Column("label_key", sa.Text(), nullable=True),
        sa.Column("carrier_id", sa.Integer(), nullable=True),
        sa.Column("service", sa.Text(), nullable=False),
        sa.Column("price", sa.Integer(), nullable=True),
        sa.Column("currency", sa.Text(), nullable=False),
        sa.Column("tracking_number", sa.Text(), nullable=True),
        sa.Column("track_address", sa.Text(), nullable=False),
        sa.Column("label_file", sa.Text(), nullable=False),
        sa.Column("created_at", relvan.store.types.Instant(), nullable=False),
        sa.CheckConstraint("weight_g > 0", name=op.f("ck_parcel_weight")),
        sa.ForeignKeyConstraint(["carrier_id"], ["carrier.id"], name=op.f("fk_parcel_carrier_id")),
        sa.ForeignKeyConstraint(
            ["shipment_id"], ["shipment.id"], name=op.f("fk_parcel_shipment_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_parcel")),
        sa.UniqueConstraint("label_key", name=op.f("uq_parcel_label_key")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("parcel", schema=None) as batch_op:
        batch_op.create_index("ix_parcel_shipment_id", ["shipment_id"], unique=False)
        batch_op.create_index("ix_parcel_tracking_number", ["tracking_number"], unique=False)

    op.create_table(
        "reservation",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("order_line_id", sa.Integer(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("warehouse_id", sa.Integer(), nullable=False),
        sa.Column("quantity", sa.Integer(), nullable=False),
        sa.CheckConstraint("quantity > 0", name=op.f("ck_reservation_quantity")),
        sa.ForeignKeyConstraint(
            ["order_line_id"], ["order_line.id"], name=op.f("fk_reservation_order_line_id")
        ),
        sa.ForeignKeyConstraint(
            ["product_id"], ["product.id"], name=op.f("fk_reservation_product_id")
        ),
        sa.ForeignKeyConstraint(
            ["warehouse_id"], ["warehouse.id"], name=op.f("fk_reservation_warehouse_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_reservation")),
        sa.UniqueConstraint(
            "order_line_id", "warehouse_id", name=op.f("uq_reservation_order_line_id_warehouse_id")
        ),
        sqlite_strict=True,
    )
    with op.batch_alter_table("reservation", schema=None) as batch_op:
        batch_op.create_index(
            "ix_reservation_product_id", ["product_id", "warehouse_id"], unique=False
        )

    op.create_table(
        "shipment_line",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shipment_id", sa.Integer(), nullable=False),
        sa.Column("order_line_id", sa.Integer(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("quantity", sa.Integer(), nullable=False),
        sa.Column("picked", sa.Integer(), nullable=False),
        sa.CheckConstraint("picked BETWEEN 0 AND quantity", name=op.f("ck_shipment_line_picked")),
        sa.CheckConstraint("quantity >= 0", name=op.f("ck_shipment_line_quantity")),
        sa.ForeignKeyConstraint(
            ["order_line_id"], ["order_line.id"], name=op.f("fk_shipment_line_order_line_id")
        ),
        sa.ForeignKeyConstraint(
            ["product_id"], ["product.id"], name=op.f("fk_shipment_line_product_id")
        ),
        sa.ForeignKeyConstraint(
            ["shipment_id"], ["shipment.id"], name=op.f("fk_shipment_line_shipment_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_shipment_line")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("shipment_line", schema=None) as batch_op:
        batch_op.create_index("ix_shipment_line_order_line_id", ["order_line_id"], unique=False)
        batch_op.create_index("ix_shipment_line_shipment_id", ["shipment_id"], unique=False)

    op.create_table(
        "parcel_line",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("parcel_id", sa.Integer(), nullable=False),
        sa.Column("shipment_line_id", sa.Integer(), nullable=False),
        sa.Column("quantity", sa.Integer(), nullable=False),
        sa.CheckConstraint("quantity > 0", name=op.f("ck_parcel_line_quantity")),
        sa.ForeignKeyConstraint(
            ["parcel_id"], ["parcel.id"], name=op.f("fk_parcel_line_parcel_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["shipment_line_id"], ["shipment_line.id"], name=op.f("fk_parcel_line_shipment_line_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_parcel_line")),
        sa.UniqueConstraint(
            "parcel_id", "shipment_line_id", name=op.f("uq_parcel_line_parcel_id_shipment_line_id")
        ),
        sqlite_strict=True,
    )
    op.create_table(
        "pick",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("pick_list_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("shipment_line_id", sa.Integer(), nullable=False),
        sa.Column("product_id", sa.Integer(), nullable=False),
        sa.Column("bin_id", sa.Integer(), nullable=True),
        sa.Column("quantity", sa.Integer(), nullable=False),
        sa.Column("picked", sa.Integer(), nullable=True),
        sa.Column("picked_at", relvan.store.types.Instant(), nullable=True),
        sa.CheckConstraint(
            "picked IS NULL OR picked BETWEEN 0 AND quantity", name=op.f("ck_pick_picked")
        ),
        sa.CheckConstraint("quantity > 0", name=op.f("ck_pick_quantity")),
        sa.ForeignKeyConstraint(["bin_id"], ["bin.id"], name=op.f("fk_pick_bin_id")),
        sa.ForeignKeyConstraint(
            ["pick_list_id"], ["pick_list.id"], name=op.f("fk_pick_pick_list_id")
        ),
        sa.ForeignKeyConstraint(["product_id"], ["product.id"], name=op.f("fk_pick_product_id")),
        sa.ForeignKeyConstraint(
            ["shipment_line_id"], ["shipment_line.id"], name=op.f("fk_pick_shipment_line_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pick")),
        sqlite_strict=True,
    )
    with op.batch_alter_table("pick", schema=None) as batch_op:
        batch_op.create_index("ix_pick_bin_id", ["bin_id"], unique=False)
        batch_op.create_index("ix_pick_pick_list_id", ["pick_list_id", "position"], unique=False)
        batch_op.create_index("ix_pick_shipment_line_id", ["shipment_line_id"], unique=False)

    op.execute(search.CREATE)


def downgrade() -> None:
    op.execute(search.DROP)
    with op.batch_alter_table("pick", schema=None) as batch_op:
        batch_op.drop_index("ix_pick_shipment_line_id")
        batch_op.drop_index("ix_pick_pick_list_id")
        batch_op.drop_index("ix_pick_bin_id")

    op.drop_table("pick")
    op.drop_table("parcel_line")
    with op.batch_alter_table("shipment_line", schema=None) as batch_op:
        batch_op.drop_index("ix_shipment_line_shipment_id")
        batch_op.drop_index("ix_shipment_line_order_line_id")

    op.drop_table("shipment_line")
    with op.batch_alter_table("reservation", schema=None) as batch_op:
        batch_op.drop_index("ix_reservation_product_id")

    op.drop_table("reservation")
    with op.batch_alter_table("parcel", schema=None) as batch_op:
        batch_op.drop_index("ix_parcel_tracking_number")
        batch_op.drop_index("ix_parcel_shipment_id")

    op.drop_table("parcel")
    with op.batch_alter_table("outbox_entry", schema=None) as batch_op:
        batch_op.drop_index(
            "uq_outbox_entry_waiting",
            sqlite_where=sa.text("state = 'waiting'"),
            postgresql_where=sa.text("state = 'waiting'"),
        )
        batch_op.drop_index("ix_outbox_entry_listing_id")
        batch_op.drop_index("ix_outbox_entry_due")

    op.drop_table("outbox_entry")
    with op.batch_alter_table("movement", schema=None) as batch_op:
        batch_op.drop_index("ix_movement_shipment_id")
        batch_op.drop_index("ix_movement_product_id")

    op.drop_table("movement")
    with op.batch_alter_table("shipment", schema=None) as batch_op:
        batch_op.drop_index("ix_shipment_state")
        batch_op.drop_index("ix_shipment_order_id")

    op.drop_table("shipment")
    with op.batch_alter_table("order_line", schema=None) as batch_op:
        batch_op.drop_index("ix_order_line_product_id")
        batch_op.drop_index("ix_order_line_order_id")

    op.drop_table("order_line")
    with op.batch_alter_table("bulk_job_row", schema=None) as batch_op:
        batch_op.drop_index("ix_bulk_job_row_job_id")

    op.drop_table("bulk_job_row")
    op.drop_table("supply_warehouse")
    with op.batch_alter_table("repeated_call", schema=None) as batch_op:
        batch_op.drop_index("ix_repeated_call_at")

    op.drop_table("repeated_call")
    with op.batch_alter_table("listing", schema=None) as batch_op:
        batch_op.drop_index("ix_listing_state")
        batch_op.drop_index("ix_listing_ref")
        batch_op.drop_index("ix_listing_product_id")
        batch_op.drop_index("ix_listing_floored", sqlite_where=sa.text("floored = 1"))

    op.drop_table("listing")
    with op.batch_alter_table("lag_sample", schema=None) as batch_op:
        batch_op.drop_index("ix_lag_sample_channel_id")

    op.drop_table("lag_sample")
    with op.batch_alter_table("customer_order", schema=None) as batch_op:
        batch_op.drop_index("ix_customer_order_tray")
        batch_op.drop_index("ix_customer_order_customer")
        batch_op.drop_index("ix_customer_order_channel_number")
        batch_op.drop_index("ix_customer_order_channel_id")

    op.drop_table("customer_order")
    with op.batch_alter_table("bin_balance", schema=None) as batch_op:
        batch_op.drop_index("ix_bin_balance_product_id")

    op.drop_table("bin_balance")
    with op.batch_alter_table("visit", schema=None) as batch_op:
        batch_op.drop_index("ix_visit_expires_at")

    op.drop_table("visit")
    with op.batch_alter_table("toast", schema=None) as batch_op:
        batch_op.drop_index("ix_toast_at")

    op.drop_table("toast")
    with op.batch_alter_table("sku_name", schema=None) as batch_op:
        batch_op.drop_index("ix_sku_name_product_id")

    op.drop_table("sku_name")
    op.drop_table("product_picture")
    op.drop_table("preference")
    with op.batch_alter_table("pick_list", schema=None) as batch_op:
        batch_op.drop_index("ix_pick_list_state")

    op.drop_table("pick_list")
    with op.batch_alter_table("list_price", schema=None) as batch_op:
        batch_op.drop_index("ix_list_price_product_id")

    op.drop_table("list_price")
    with op.batch_alter_table("kept_view", schema=None) as batch_op:
        batch_op.drop_index("ix_kept_view_person_station")

    op.drop_table("kept_view")
    op.drop_table("channel")
    with op.batch_alter_table("bulk_job", schema=None) as batch_op:
        batch_op.drop_index("ix_bulk_job_state")

    op.drop_table("bulk_job")
    op.drop_table("bin")
    with op.batch_alter_table("balance", schema=None) as batch_op:
        batch_op.drop_index("ix_balance_warehouse_id")
        batch_op.drop_index("ix_balance_blocked", sqlite_where=sa.text("blocked > 0"))

    op.drop_table("balance")
    with op.batch_alter_table("audit_entry", schema=None) as batch_op:
        batch_op.drop_index("ix_audit_entry_subject")

    op.drop_table("audit_entry")
    op.drop_table("api_token")
    op.drop_table("warehouse")
    with op.batch_alter_table("sign_in_attempt", schema=None) as batch_op:
        batch_op.drop_index("ix_sign_in_attempt_at")

    op.drop_table("sign_in_attempt")
    with op.batch_alter_table("product", schema=None) as batch_op:
        batch_op.drop_index("ix_product_listed", sqlite_where=sa.text("archived_at IS NULL"))
        batch_op.drop_index(
            "ix_product_lacking", sqlite_where=sa.text("lacking > 0 AND archived_at IS NULL")
        )
        batch_op.drop_index("ix_product_gtin_key")
        batch_op.drop_index("ix_product_category")

    op.drop_table("product")
    op.drop_table("price_list")
    op.drop_table("picture")
    op.drop_table("person")
    op.drop_table("counter")
    op.drop_table("carrier")
