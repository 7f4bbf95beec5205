"""Alembic's entry, which runs the migrations on the connection that `store.schema` hands over."""

from alembic import context

from relvan.store.tables import Table

connection = context.config.attributes["connection"]


def is_ours(name: str | None, kind: str, _parents: object) -> bool:
    """All but the tables that the search indexes keep for themselves."""
    return kind != "table" or not (name or "").startswith(("product_search", "order_search"))


context.configure(
    connection=connection,
    target_metadata=Table.metadata,
    render_as_batch=True,
    include_name=is_ours,
)
with context.begin_transaction():
    context.run_migrations()
