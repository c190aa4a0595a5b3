"""Ids given out before anything is written."""

from threading import Lock

from sqlalchemy import text
from sqlmodel import Session


class Ids:
    """Ids of rows to come, for all tables of a database. An id is never used again, also where an edit failed."""

    def __init__(self) -> None:
        self._latest: dict[str, int] = {}
        self._lock = Lock()

    def learn(self, session: Session) -> None:
        """Take up the ids the database has given out, by whomever."""
        with self._lock:
            for table, latest in session.connection().execute(text("SELECT name, seq FROM sqlite_sequence")).all():
                self._latest[table] = max(self._latest.get(table, 0), int(latest))

    def next(self, table: str) -> int:
        """Return a table's next id."""
        with self._lock:
            self._latest[table] = self._latest.get(table, 0) + 1
            return self._latest[table]
