"""Seals: locked, dated copies of a model that nothing changes any more."""

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlmodel import Session, col, select

from widefork.core.errors import InvalidValue, UnknownName
from widefork.store.model_store import ModelStore
from widefork.store.tables import ModelRow, SealRow

LONGEST_NAME, LONGEST_NOTE = 80, 600


@dataclass(frozen=True)
class Seal:
    """A seal without its document. ``revision`` is the model's when it was sealed; ``sealed_at`` is UTC."""

    id: int
    name: str
    note: str
    person: str
    sealed_at: str
    revision: int


class Seals:
    """The seals in a database."""

    def __init__(self, store: ModelStore) -> None:
        self._reading, self._writer = store.engine, store.writer

    def of(self, model_id: int) -> tuple[Seal, ...]:
        """Return a model's seals, the latest first."""
        with Session(self._reading) as session:
            query = select(SealRow).where(SealRow.model_id == model_id).order_by(col(SealRow.id).desc())
            return tuple(
                Seal(int(row.id or 0), row.name, row.note, row.person, row.sealed_at, row.revision)
                for row in session.exec(query).all()
            )

    def seal(self, model_id: int, person: str, name: str, note: str, document: str) -> Seal:
        """Lock a copy of a model.

        Parameters
        ----------
        document : the model in the open text format, as it stands.

        Raises
        ------
        InvalidValue: no name, a name another seal of the model has, or texts too long. UnknownName: no such model.
        """
        name, note = " ".join(name.split()), note.strip()
        if not name or len(name) > LONGEST_NAME:
            raise InvalidValue(f"A seal needs a name of 1 to {LONGEST_NAME} letters, like “Budget 2027, as approved”.")
        if len(note) > LONGEST_NOTE:
            raise InvalidValue(f"A note has at most {LONGEST_NOTE} letters; this one has {len(note)}.")
        with self._writer.transaction() as session:
            frame = session.get(ModelRow, model_id)
            if frame is None:
                raise UnknownName("model", str(model_id), [])
            taken = select(SealRow).where(SealRow.model_id == model_id, SealRow.name == name)
            if session.exec(taken).first() is not None:
                raise InvalidValue(
                    f"There is a seal “{name}” already, and nothing changes a seal. Choose another name."
                )
            row = SealRow(
                model_id=model_id,
                name=name,
                note=note,
                person=person,
                sealed_at=datetime.now(UTC).isoformat(timespec="seconds"),
                revision=frame.revision,
                document=document,
            )
            session.add(row)
            session.flush()
            return Seal(int(row.id or 0), row.name, row.note, row.person, row.sealed_at, row.revision)

    def document(self, model_id: int, seal_id: int) -> str:
        """Return what was sealed, in the open text format; raise UnknownName."""
        with Session(self._reading) as session:
            row = session.get(SealRow, seal_id)
            if row is None or row.model_id != model_id:
                raise UnknownName("seal", str(seal_id), [str(seal.id) for seal in self.of(model_id)])
            return row.document
