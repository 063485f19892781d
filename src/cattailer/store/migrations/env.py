"""Alembic's way in; the connection comes from ``store.database``."""

from alembic import context

from cattailer.store.base import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
