"""Alembic's entry: runs the migrations on the connection that `store.database.migrate` gives."""

from alembic import context

from ivory_thistle.store.tables import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata, compare_type=True)
with context.begin_transaction():
    context.run_migrations()
