"""The models there are, the bin, kept views of pages, and notes in the outbox: what stands beside the models."""

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import Engine, delete
from sqlmodel import Session, col, select

from widefork.core.errors import UnknownName
from widefork.store import log
from widefork.store.log import LogEntry
from widefork.store.tables import AskedRow, ModelRow, NoteRow, SavedViewRow
from widefork.store.writing import Writer


@dataclass(frozen=True)
class ModelInfo:
    """A model in a list."""

    id: int
    name: str
    revision: int
    currency: str = ""
    start: str = ""
    month_count: int = 0
    binned_at: str | None = None
    latest: LogEntry | None = None


MOST_ASKED = 60
"""Questions kept of a model."""


@dataclass(frozen=True)
class Asked:
    """A question asked on Work back: the query of its address, in words, what it was answered, by whom and when.

    ``revision`` is that of the model it was answered at.
    """

    query: str
    sentence: str
    answer: str
    person: str
    made_at: str = ""
    revision: int = 0


class Shelf:
    """The models of a database, as a list."""

    def __init__(self, engine: Engine, writer: Writer) -> None:
        self._reading, self._writer = engine, writer

    def models(self) -> tuple[ModelInfo, ...]:
        """Return all models that are not in the bin, oldest first."""
        return tuple(info for info in self._all_models() if info.binned_at is None)

    def binned(self) -> tuple[ModelInfo, ...]:
        """Return the models in the bin, oldest first."""
        return tuple(info for info in self._all_models() if info.binned_at is not None)

    def _all_models(self) -> list[ModelInfo]:
        with Session(self._reading) as session:
            rows = session.exec(select(ModelRow).order_by(col(ModelRow.id))).all()
            latest = {row.id: next(iter(log.entries(session, int(row.id or 0), 1)), None) for row in rows}
            return [
                ModelInfo(
                    int(row.id or 0), row.name, row.revision, row.currency, row.start, row.month_count, row.binned_at,
                    latest[row.id],
                )
                for row in rows
            ]  # fmt: skip

    def bin(self, model_id: int) -> None:
        """Lay a model into the bin; nothing of it is lost. Raises UnknownName."""
        self._set_binned(model_id, datetime.now(UTC).isoformat(timespec="seconds"))

    def restore(self, model_id: int) -> None:
        """Take a model out of the bin again. Raises UnknownName."""
        self._set_binned(model_id, None)

    def _set_binned(self, model_id: int, when: str | None) -> None:
        with self._writer.transaction() as session:
            frame = _frame(session, model_id)
            frame.binned_at = when
            session.add(frame)

    def delete(self, model_id: int) -> None:
        """Remove a model, its log included."""
        with self._writer.transaction() as session:
            session.connection().execute(delete(ModelRow).where(col(ModelRow.id) == model_id))

    def notes(self, model_id: int) -> tuple[tuple[str, str], ...]:
        """Return the notes in the outbox as (recipient, text), newest first."""
        with Session(self._reading) as session:
            query = select(NoteRow).where(NoteRow.model_id == model_id).order_by(col(NoteRow.id).desc())
            return tuple((row.recipient, row.text) for row in session.exec(query).all())

    def views(self, model_id: int, page: str) -> tuple[tuple[str, str], ...]:
        """Return the kept views of a page as (name, query), in order of their names."""
        with Session(self._reading) as session:
            query = select(SavedViewRow).where(SavedViewRow.model_id == model_id, SavedViewRow.page == page)
            return tuple(sorted((row.name, row.query) for row in session.exec(query).all()))

    def keep_view(self, model_id: int, page: str, name: str, query: str) -> None:
        """Keep a view of a page under a name, in place of one of the same name; an empty query forgets it."""
        with self._writer.transaction() as session:
            _frame(session, model_id)
            known = select(SavedViewRow).where(
                SavedViewRow.model_id == model_id, SavedViewRow.page == page, SavedViewRow.name == name
            )
            row = session.exec(known).first() or SavedViewRow(model_id=model_id, page=page, name=name, query="")
            row.query = query
            if query:
                session.add(row)
            elif row.id is not None:
                session.delete(row)

    def asked(self, model_id: int) -> tuple[Asked, ...]:
        """Return the questions asked on Work back, the latest first."""
        latest = select(AskedRow).where(AskedRow.model_id == model_id).order_by(col(AskedRow.id).desc())
        with Session(self._reading) as session:
            return tuple(_as_asked(row) for row in session.exec(latest).all())

    def note_asked(self, model_id: int, asked: Asked) -> None:
        """Note a question and its answer, in place of the same asked before; the oldest beyond ``MOST_ASKED`` go."""
        with self._writer.transaction() as session:
            _frame(session, model_id)
            mine = select(AskedRow).where(AskedRow.model_id == model_id).order_by(col(AskedRow.id).desc())
            known = session.exec(mine).all()
            for place, row in enumerate(known):
                if row.query == asked.query or place >= MOST_ASKED - 1:
                    session.delete(row)
            session.flush()
            made_at = datetime.now(UTC).isoformat(timespec="seconds")
            session.add(
                AskedRow(
                    model_id=model_id,
                    person=asked.person,
                    made_at=made_at,
                    revision=asked.revision,
                    query=asked.query,
                    sentence=asked.sentence,
                    answer=asked.answer,
                )
            )


def _as_asked(row: AskedRow) -> Asked:
    return Asked(row.query, row.sentence, row.answer, row.person, row.made_at, row.revision)


def _frame(session: Session, model_id: int) -> ModelRow:
    frame = session.get(ModelRow, model_id)
    if frame is None:
        raise UnknownName("model", str(model_id), [str(row) for row in session.exec(select(ModelRow.id)).all()])
    return frame
