"""Alembic's entry: migrate over the connection that the application hands in."""

from alembic import context

from meanbead.store.tables import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
with context.begin_transaction():
    context.run_migrations()
