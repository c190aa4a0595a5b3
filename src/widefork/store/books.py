"""Books on their way into a model: one person's pasted figures, and what accounts were matched with before.

Neither is part of the model nor of its log; closing the month is.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from sqlmodel import Session, select

from widefork.core.axes import Month
from widefork.store.model_store import ModelStore
from widefork.store.rows import Rows
from widefork.store.tables import AccountRow, BooksRow
from widefork.store.targets import Target


@dataclass(frozen=True)
class Books:
    """One person's books of a month, not yet in the model.

    Parameters
    ----------
    document : what was pasted and how it is to be read; the page that reads it knows its shape.
    """

    month: Month
    document: Mapping[str, Any] = field(default_factory=dict)


Match = tuple[str, str]
"""A line's name and a member of it (“” for the whole); an empty name for an account that is left out."""


class BooksStore:
    """Books and matches in a database."""

    def __init__(self, store: ModelStore) -> None:
        self._reading, self._writer = store.engine, store.writer

    def of(self, model_id: int, person: str) -> Books | None:
        """Return a person's books on a model; None where nothing was pasted."""
        with Session(self._reading) as session:
            row = _row(session, model_id, person)
            return None if row is None else Books(Month.parse(row.month), row.document)

    def keep(self, model_id: int, person: str, books: Books) -> None:
        """Keep a person's books as they stand."""
        with self._writer.transaction() as session:
            row = _row(session, model_id, person) or BooksRow(model_id=model_id, person=person, month="")
            row.month, row.document = str(books.month), dict(books.document)
            session.add(row)

    def drop(self, model_id: int, person: str) -> None:
        """Forget a person's books."""
        with self._writer.transaction() as session:
            row = _row(session, model_id, person)
            if row is not None:
                session.delete(row)

    def matches(self, model_id: int) -> dict[str, Match]:
        """Return what accounts were last matched with, by their names; those whose line has gone are left out."""
        with Session(self._reading) as session:
            rows = Rows.read(session, model_id)
            found = {}
            for row in session.exec(select(AccountRow).where(AccountRow.model_id == model_id)).all():
                name = rows.known_name(row.target) if row.target else ""
                if name is not None:
                    found[row.name] = (name, row.member)
            return found

    def remember(self, model_id: int, matches: Mapping[str, Match]) -> None:
        """Keep what accounts were matched with, for the next month."""
        with Session(self._reading) as session:
            rows = Rows.read(session, model_id)
        with self._writer.transaction() as session:
            known = {
                row.name: row for row in session.exec(select(AccountRow).where(AccountRow.model_id == model_id)).all()
            }
            for account, (line, member) in matches.items():
                row = known.get(account) or AccountRow(model_id=model_id, name=account, target="")
                target: Target | None = rows.target(line) if line else None
                row.target, row.member = (target.key if target is not None else ""), member
                session.add(row)


def _row(session: Session, model_id: int, person: str) -> BooksRow | None:
    query = select(BooksRow).where(BooksRow.model_id == model_id, BooksRow.person == person)
    return session.exec(query).first()
