"""Where the migration tool starts: the connection comes from `store.upgrade`."""

from __future__ import annotations

from alembic import context
from sqlalchemy import text

from patient_needle.store.models import Base

connection = context.config.attributes["connection"]
# One upgrade at a time, whoever starts it; the lock ends with the transaction.
connection.execute(text("select pg_advisory_xact_lock(7302211)"))
context.configure(
    connection=connection,
    target_metadata=Base.metadata,
    # The queue brings its own tables.
    include_name=lambda name, kind, _: kind != "table" or not str(name).startswith("procrastinate_"),
)
with context.begin_transaction():
    context.run_migrations()
