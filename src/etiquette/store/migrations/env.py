"""Alembic's entry point; the address of the database comes from the caller."""

from alembic import context
from sqlalchemy import create_engine

from etiquette.store.models import Base

engine = create_engine(context.config.attributes["url"])
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
