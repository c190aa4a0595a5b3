"""The data file: SQLite in WAL mode, foreign keys on, at the newest migration; backed up, restored, brought together.

While a database is open, what was written last stands in a second file beside it. ``bring_together`` moves it into the
first, so that a copy of that file alone is whole.
"""

import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, create_engine, event
from sqlalchemy.exc import OperationalError

from widefork.store.errors import StoreUnavailable

PAGES_IN_WAL = 400
"""So many pages stand in the second file before SQLite moves them by itself."""


def open_database(path: Path) -> Engine:
    """Return an engine on the database file, created and migrated where needed.

    Raises
    ------
    StoreUnavailable: the folder or file cannot be written, is no database, or was made by a newer version; says which.
    """
    try:
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        if not path.exists():
            path.touch(mode=0o600)
        _refuse_newer(path)
        migrate(path)
    except PermissionError as fault:
        raise StoreUnavailable(
            f"{fault.filename or path} cannot be written to. Choose a folder of your own with --data, or change who "
            "may write there."
        ) from fault
    except OSError as fault:
        raise StoreUnavailable(
            f"{path} cannot be made: {fault.strerror}. Choose another folder with --data."
        ) from fault
    except (sqlite3.DatabaseError, OperationalError) as fault:
        raise StoreUnavailable(_said_of(path, fault)) from fault
    return connect(path)


def connect(path: Path) -> Engine:
    """Return an engine on a database file that is at the newest migration."""
    engine = create_engine(f"sqlite:///{path}", connect_args={"check_same_thread": False})
    event.listen(engine, "connect", _prepare)
    event.listen(engine, "begin", _begin)
    return engine


def first_row(engine: Engine, query: str, *values: object) -> tuple[Any, ...] | None:
    """Return the first row of a question asked many times a page; None where there is none.

    Asked of the driver itself, outside any transaction: a tenth of what a session takes to begin and end.
    """
    connection = engine.raw_connection()
    try:
        found: tuple[Any, ...] | None = connection.cursor().execute(query, values).fetchone()
        return found
    finally:
        connection.close()


def migrate(path: Path) -> None:
    """Bring the database file to the newest migration."""
    command.upgrade(_config(path), "head")


def bring_together(engine: Engine) -> None:
    """Move all that was written into the one main file; what readers still need stays until the next time."""
    raw = engine.raw_connection()
    try:
        raw.cursor().execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchall()
    finally:
        raw.close()


def back_up(path: Path, target: Path) -> None:
    """Copy a database into one file, also while it is served; what is there is replaced once the copy is whole.

    Raises
    ------
    StoreUnavailable: there is no such database, or the target cannot be written.
    """
    if not path.is_file():
        raise StoreUnavailable(f"There is no database at {path}.")
    made = target.with_name(f"{target.name}.part")
    try:
        with (
            closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as source,
            closing(sqlite3.connect(made)) as copy,
        ):
            source.backup(copy)
            copy.execute("PRAGMA journal_mode=DELETE").fetchall()
        made.chmod(0o600)
        made.replace(target)
    except (OSError, sqlite3.DatabaseError) as fault:
        made.unlink(missing_ok=True)
        raise StoreUnavailable(f"The backup could not be written to {target}: {fault}.") from fault


def restore(backup: Path, path: Path) -> None:
    """Put a backup in a database's place, brought to the newest migration.

    Raises
    ------
    StoreUnavailable: the backup is no database of this application, or was made by a newer version.
    """
    try:
        with closing(sqlite3.connect(f"file:{backup}?mode=ro", uri=True)) as source:
            if source.execute("PRAGMA integrity_check").fetchone()[0] != "ok":
                raise StoreUnavailable(f"{backup} is damaged; nothing was restored.")
            source.execute("SELECT count(*) FROM model").fetchone()
    except sqlite3.DatabaseError as fault:
        raise StoreUnavailable(f"{backup} holds no models of this application; nothing was restored.") from fault
    _refuse_newer(backup)
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    back_up(backup, path)
    for beside in ("-wal", "-shm"):
        path.with_name(path.name + beside).unlink(missing_ok=True)
    migrate(path)


def _config(path: Path) -> Config:
    config = Config()
    config.set_main_option("script_location", "widefork.store:migrations")
    config.attributes["path"] = path
    return config


def _refuse_newer(path: Path) -> None:
    """Raise StoreUnavailable where a newer version of the application made the file."""
    with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as connection:
        tables = connection.execute("SELECT name FROM sqlite_master WHERE name = 'alembic_version'").fetchall()
        stands = [row[0] for row in connection.execute("SELECT version_num FROM alembic_version")] if tables else []
    known = {script.revision for script in ScriptDirectory.from_config(_config(path)).walk_revisions()}
    if not set(stands) <= known:
        raise StoreUnavailable(
            f"{path} was made by a newer version of Wide Fork. Start that version, or restore a backup made before it."
        )


def _said_of(path: Path, fault: Exception) -> str:
    text = str(getattr(fault, "orig", fault))
    if "not a database" in text or "malformed" in text:
        return f"{path} is no database, or is damaged. Move it away, or restore a backup: widefork restore FILE."
    if "readonly" in text or "unable to open" in text:
        return f"{path} cannot be written to. Choose a folder of your own with --data, or change who may write there."
    if "full" in text:
        return f"The disk is full, so {path} cannot be written. Make room, and start again."
    return f"{path} cannot be opened: {text}."


def _prepare(connection: Any, _: Any) -> None:
    connection.isolation_level = None  # transactions begin where we say so, see _begin
    cursor = connection.cursor()
    settings = ("journal_mode=WAL", "foreign_keys=ON", "busy_timeout=5000", "synchronous=FULL")
    for pragma in (*settings, f"wal_autocheckpoint={PAGES_IN_WAL}"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def _begin(connection: Any) -> None:
    """Writers take the lock at once, so that what an edit reads is what it changes."""
    mode = "IMMEDIATE" if connection.get_execution_options().get("writes") else "DEFERRED"
    connection.exec_driver_sql(f"BEGIN {mode}")
