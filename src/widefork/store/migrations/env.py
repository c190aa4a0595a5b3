"""Runs migrations on an engine of its own: foreign keys off while tables are rebuilt, checked afterwards."""

from alembic import context
from sqlalchemy import create_engine, event
from sqlmodel import SQLModel

from widefork.store import tables  # noqa: F401  (fills the metadata)


def run() -> None:
    """Apply what is missing in one transaction."""
    engine = create_engine(f"sqlite:///{context.config.attributes['path']}")

    @event.listens_for(engine, "connect")
    def _connect(connection, _):  # type: ignore[no-untyped-def]
        connection.isolation_level = None
        connection.execute("PRAGMA foreign_keys=OFF")

    @event.listens_for(engine, "begin")
    def _begin(connection):  # type: ignore[no-untyped-def]
        connection.exec_driver_sql("BEGIN IMMEDIATE")

    with engine.connect() as connection:
        context.configure(connection=connection, target_metadata=SQLModel.metadata, render_as_batch=True)
        with context.begin_transaction():
            context.run_migrations()
            broken = connection.exec_driver_sql("PRAGMA foreign_key_check").fetchall()
            if broken:
                raise RuntimeError(f"the migration leaves rows without what they refer to: {broken[:3]}")
    engine.dispose()


run()
