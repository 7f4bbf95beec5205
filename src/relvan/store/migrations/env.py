"""Alembic's entry: runs the migrations on the connection that `store.schema` hands over."""

from alembic import context

from relvan.store.tables import Table

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Table.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
