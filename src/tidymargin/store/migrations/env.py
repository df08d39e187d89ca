"""Alembic's entry: runs the migrations on the connection that `open_database` hands over."""

from alembic import context

from tidymargin.store.models import Base

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=Base.metadata,
    render_as_batch=True,
)
with context.begin_transaction():
    context.run_migrations()
