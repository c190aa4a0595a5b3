"""Opening a database: SQLite in WAL mode, foreign keys on, brought to the newest migration."""

from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event


def open_database(path: Path) -> Engine:
    """Return an engine on the database file, created and migrated where needed."""
    path.parent.mkdir(parents=True, exist_ok=True)
    migrate(path)
    return connect(path)


def connect(path: Path) -> Engine:
    """Return an engine on a database file that is at the newest migration."""
    engine = create_engine(f"sqlite:///{path}", connect_args={"check_same_thread": False})
    event.listen(engine, "connect", _prepare)
    event.listen(engine, "begin", _begin)
    return engine


def migrate(path: Path) -> None:
    """Bring the database file to the newest migration."""
    config = Config()
    config.set_main_option("script_location", "widefork.store:migrations")
    config.attributes["path"] = path
    command.upgrade(config, "head")


def _prepare(connection: Any, _: Any) -> None:
    connection.isolation_level = None  # transactions begin where we say so, see _begin
    cursor = connection.cursor()
    for pragma in ("journal_mode=WAL", "foreign_keys=ON", "busy_timeout=5000", "synchronous=FULL"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _begin(connection: Any) -> None:
    """Writers take the lock at once, so that what an edit reads is what it changes."""
    mode = "IMMEDIATE" if connection.get_execution_options().get("writes") else "DEFERRED"
    connection.exec_driver_sql(f"BEGIN {mode}")
