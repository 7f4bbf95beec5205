"""Adds blocks of plain rows of a bulk job that share a verdict, and leaves empty values out of
indexes.
"""

import sqlalchemy as sa
from alembic import op

from relvan.store import search
from relvan.store.types import Json

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None
FILL = (
    "INSERT INTO product_search (rowid, sku, title, gtin, alias, brand)"
    " SELECT p.id, p.sku, p.title, coalesce(p.gtin, ''), coalesce((SELECT group_concat(n.sku, ' ')"
    " FROM sku_name n WHERE n.product_id = p.id AND n.alias = 1), ''), p.brand FROM product p"
)


def upgrade() -> None:
    op.create_table(
        "bulk_job_block",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("verdict", sa.Text(), nullable=False),
        sa.Column("first", sa.Integer(), nullable=False),
        sa.Column("last", sa.Integer(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("content", Json(), nullable=False),
        sa.ForeignKeyConstraint(["job_id"], ["bulk_job.id"], name=op.f("fk_bulk_job_block_job_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_bulk_job_block")),
        sqlite_strict=True,
    )
    op.execute(search.DROP)
    op.execute(search.CREATE)  # words without their places: smaller, and nobody looks for a phrase
    op.execute(FILL)
    op.drop_index("ix_product_gtin_key", "product")
    op.drop_index("uq_product_combination", "product")
    op.create_index(
        "ix_product_gtin_key", "product", ["gtin_key"], sqlite_where=sa.text("gtin_key IS NOT NULL")
    )
    op.create_index(
        "uq_product_combination",
        "product",
        ["family_id", "combination"],
        unique=True,
        sqlite_where=sa.text("family_id IS NOT NULL"),
    )
    op.create_index("ix_bulk_job_block_job_id", "bulk_job_block", ["job_id", "first"])
