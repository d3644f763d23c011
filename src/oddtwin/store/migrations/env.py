"""Alembic's environment: migrates the connection it is handed."""

from alembic import context

from oddtwin.store.schema import metadata

context.configure(
    connection=context.config.attributes["connection"], target_metadata=metadata, render_as_batch=True
)
with context.begin_transaction():
    context.run_migrations()
