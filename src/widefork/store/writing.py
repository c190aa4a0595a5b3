"""Writing to the database: short transactions, one after another, tried again while another program holds the file."""

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from threading import Lock
from typing import TypeVar

from sqlalchemy import Engine
from sqlalchemy.exc import OperationalError
from sqlmodel import Session

from widefork.store.errors import StoreUnavailable

PAUSES = (0.05, 0.2, 0.5, 1.0)
"""Seconds between the tries, beside the seconds SQLite itself waits each time."""
SENTENCES = {
    "locked": "Another program holds the data file just now. Nothing was changed; try again in a moment.",
    "busy": "Another program holds the data file just now. Nothing was changed; try again in a moment.",
    "full": "The disk is full, so nothing was changed. Make room, and try again.",
    "readonly": "The data file cannot be written to. Nothing was changed; see who may write to it.",
}
Result = TypeVar("Result")


class Writer:
    """Who writes to a database. Safe to use from several threads."""

    def __init__(self, engine: Engine) -> None:
        self._writing = engine.execution_options(writes=True)
        self._one_at_a_time = Lock()

    @contextmanager
    def transaction(self) -> Iterator[Session]:
        """Open a transaction that has the write lock from its beginning, and commit it at its end.

        Raises
        ------
        StoreUnavailable: the file cannot be written; nothing is stored.
        """
        with self._one_at_a_time, Session(self._writing) as session:
            try:
                self._begin(session)
                yield session
                session.commit()
            except OperationalError as fault:
                session.rollback()
                raise unavailable(fault) from fault

    @staticmethod
    def _begin(session: Session) -> None:
        for pause in (*PAUSES, None):
            try:
                session.connection()
                return
            except OperationalError as fault:
                if pause is None or "locked" not in str(fault.orig):
                    raise
                session.rollback()
                time.sleep(pause)

    def write(self, change: Callable[[Session], Result]) -> Result:
        """Make a change in one transaction; return what it returns."""
        with self.transaction() as session:
            return change(session)


def unavailable(fault: OperationalError) -> StoreUnavailable:
    """Return what a fault of the database says to a person."""
    text = str(fault.orig).lower()
    known = next((sentence for word, sentence in SENTENCES.items() if word in text), None)
    return StoreUnavailable(known or f"The data file could not be written ({fault.orig}). Nothing was changed.")
