"""Alembic's entry point: migrate over the connection that the club opened."""

from alembic import context

from keenkettle.club.tables import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
