"""Tables on their way into a model: what one person pasted or loaded, until it is taken in or dropped. Not logged."""

from collections.abc import Mapping
from typing import Any

from sqlmodel import Session, select

from widefork.store.model_store import ModelStore
from widefork.store.tables import IncomingRow


class IncomingStore:
    """Tables on their way in, one for each person and model."""

    def __init__(self, store: ModelStore) -> None:
        self._reading, self._writer = store.engine, store.writer

    def of(self, model_id: int, person: str) -> Mapping[str, Any] | None:
        """Return what a person brought; None where nothing waits."""
        with Session(self._reading) as session:
            row = _row(session, model_id, person)
            return None if row is None else row.document

    def keep(self, model_id: int, person: str, document: Mapping[str, Any]) -> None:
        """Keep what a person brought, in place of what waited."""
        with self._writer.transaction() as session:
            row = _row(session, model_id, person) or IncomingRow(model_id=model_id, person=person)
            row.document = dict(document)
            session.add(row)

    def drop(self, model_id: int, person: str) -> None:
        """Forget what waits."""
        with self._writer.transaction() as session:
            row = _row(session, model_id, person)
            if row is not None:
                session.delete(row)


def _row(session: Session, model_id: int, person: str) -> IncomingRow | None:
    query = select(IncomingRow).where(IncomingRow.model_id == model_id, IncomingRow.person == person)
    return session.exec(query).first()
