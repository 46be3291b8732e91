"""Alembic's environment: runs on the connection that the store hands over, in its transaction."""

from alembic import context

from escuadra.store.tables import metadata

context.configure(connection=context.config.attributes["connection"], target_metadata=metadata)
context.run_migrations()
