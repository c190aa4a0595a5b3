"""The store of models: load, edit in one transaction, undo and redo from the log."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Engine, delete
from sqlalchemy.exc import IntegrityError
from sqlmodel import Session, col, select

from widefork.core.errors import UnknownName, WideforkError
from widefork.core.finance.assemble import check_plan
from widefork.core.graph.model import Model
from widefork.store.loading import load_model
from widefork.store.names import Names
from widefork.store.saving import store_model
from widefork.store.tables import ENTITIES, EditItemRow, EditRow, LineRow, ModelRow, NoteRow, SavedViewRow


class EditConflict(WideforkError):
    """Somebody changed the same thing since the editor last saw it."""

    def __init__(self, theirs: EditRow, mine: str) -> None:
        self.theirs, self.mine = theirs.sentence, mine
        self.person = theirs.person
        self.revision = theirs.revision
        super().__init__(f"{theirs.person} changed this meanwhile: {theirs.sentence}.")


class UndoRefused(WideforkError):
    """An edit that can no longer be taken back or put back, with the reason."""


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
    latest: "LogEntry | None" = None


@dataclass(frozen=True)
class LogEntry:
    """One gesture in the log."""

    revision: int
    person: str
    made_at: str
    sentence: str


@dataclass(frozen=True)
class Stored:
    """A model as loaded, with the revision it stands at."""

    id: int
    model: Model
    revision: int


class Edit:
    """The rows one gesture touches, recorded as it touches them. Handed to what an edit does."""

    def __init__(self, session: Session, model_id: int) -> None:
        self.session, self.model_id = session, model_id
        self.names = Names(session, model_id)
        self.items: list[EditItemRow] = []
        self.subject = ""
        self.sentence = ""

    def read_names(self) -> None:
        """Read the rows there are anew."""
        self.names = Names(self.session, self.model_id)

    def describe(self, subject: str, sentence: str) -> None:
        """Say what is edited (for conflicts) and what was done (for the log)."""
        self.subject, self.sentence = subject, sentence

    def update(self, row: Any, **values: Any) -> None:
        """Change columns of a row."""
        before = _document(row)
        for key, value in values.items():
            setattr(row, key, value)
        self.session.add(row)
        self.session.flush()
        if _document(row) != before:
            self._record(row, before, _document(row))

    def add(self, row: Any) -> None:
        """Add a row."""
        self.session.add(row)
        self.session.flush()
        self._record(row, None, _document(row))

    def remove(self, row: Any) -> None:
        """Remove a row."""
        before = _document(row)
        self.session.delete(row)
        self.session.flush()
        self._record(row, before, None)

    def _record(self, row: Any, before: dict[str, Any] | None, after: dict[str, Any] | None) -> None:
        document = after if after is not None else before or {}
        self.items.append(
            EditItemRow(entity=row.__tablename__, entity_id=document["id"], before=before, after=after, edit_id=0)
        )


class ModelStore:
    """Models in one database. Safe to use from several threads: every call has a session of its own."""

    def __init__(self, engine: Engine) -> None:
        self.engine = self._reading = engine
        self._writing = engine.execution_options(writes=True)

    def models(self) -> tuple[ModelInfo, ...]:
        """Return all models that are not in the bin, oldest first."""
        return tuple(info for info in self._all_models() if info.binned_at is None)

    def binned(self) -> tuple[ModelInfo, ...]:
        """Return the models in the bin, oldest first."""
        return tuple(info for info in self._all_models() if info.binned_at is not None)

    def _all_models(self) -> list[ModelInfo]:
        with Session(self._reading) as session:
            rows = session.exec(select(ModelRow).order_by(col(ModelRow.id))).all()
            latest = {row.id: self._latest(session, int(row.id or 0)) for row in rows}
            return [
                ModelInfo(
                    int(row.id or 0), row.name, row.revision, row.currency, row.start, row.month_count, row.binned_at,
                    latest[row.id],
                )
                for row in rows
            ]  # fmt: skip

    @staticmethod
    def _latest(session: Session, model_id: int) -> LogEntry | None:
        query = select(EditRow).where(EditRow.model_id == model_id).order_by(col(EditRow.revision).desc())
        row = session.exec(query.limit(1)).first()
        return None if row is None else LogEntry(row.revision, row.person, row.made_at, row.sentence)

    def bin(self, model_id: int) -> None:
        """Lay a model into the bin; nothing of it is lost. Raises UnknownName."""
        self._set_binned(model_id, datetime.now(UTC).isoformat(timespec="seconds"))

    def restore(self, model_id: int) -> None:
        """Take a model out of the bin again. Raises UnknownName."""
        self._set_binned(model_id, None)

    def _set_binned(self, model_id: int, when: str | None) -> None:
        with Session(self._writing) as session:
            frame = _frame(session, model_id)
            frame.binned_at = when
            session.add(frame)
            session.commit()

    def create(self, model: Model) -> int:
        """Store a new model; return its id.

        Raises
        ------
        InvalidModel, FormulaError: a model that cannot be computed.
        """
        check_plan(model)
        with Session(self._writing) as session:
            frame = store_model(session, model)
            model_id = int(frame.id or 0)
            session.commit()
            return model_id

    def delete(self, model_id: int) -> None:
        """Remove a model, its log included."""
        with Session(self._writing) as session:
            session.connection().execute(delete(ModelRow).where(col(ModelRow.id) == model_id))
            session.commit()

    def load(self, model_id: int) -> Stored:
        """Return a model and its revision; raise UnknownName."""
        with Session(self._reading) as session:
            model = load_model(session, model_id)
            return Stored(model_id, model, _frame(session, model_id).revision)

    def revision(self, model_id: int) -> int:
        """Return a model's revision; raise UnknownName."""
        with Session(self._reading) as session:
            return _frame(session, model_id).revision

    def edit(
        self, model_id: int, person: str, seen: int, change: Callable[[Edit], None], despite_conflict: bool = False
    ) -> int:
        """Make one edit: all of it, or nothing.

        Parameters
        ----------
        person : who makes it. seen : the revision the person was looking at.
        change : makes it, through the Edit it is given, and describes it.
        despite_conflict : go on where somebody else has edited the same since ``seen``.

        Returns
        -------
        The new revision; the old one when nothing was touched.

        Raises
        ------
        EditConflict: somebody else edited the same subject since ``seen``.
        WideforkError: the edit would leave a model that cannot be computed; nothing is stored.
        """
        with Session(self._writing) as session:
            frame = _frame(session, model_id)
            edit = Edit(session, model_id)
            change(edit)
            if not edit.items:
                return frame.revision
            if not despite_conflict:
                _refuse_conflict(session, model_id, seen, edit)
            check_plan(load_model(session, model_id))
            return _finish(session, frame, person, edit)

    def undo(self, model_id: int, person: str) -> str:
        """Take back the person's latest edit; return its sentence. Undo is an edit of its own in the log.

        Raises
        ------
        UndoRefused: nothing to take back, or somebody has changed the same since.
        """
        return self._step_back(model_id, person, is_redo=False)

    def redo(self, model_id: int, person: str) -> str:
        """Put back what the person last took back; return its sentence.

        Raises
        ------
        UndoRefused: nothing to put back, or somebody has changed the same since.
        """
        return self._step_back(model_id, person, is_redo=True)

    def can_undo(self, model_id: int, person: str) -> tuple[str | None, str | None]:
        """Return the sentences of what undo and redo would do now; None where there is nothing."""
        with Session(self._reading) as session:
            undo, redo = _stacks(session, model_id, person)
            return (undo[-1].sentence if undo else None, redo[-1].sentence if redo else None)

    def log(self, model_id: int, limit: int = 50) -> tuple[LogEntry, ...]:
        """Return the latest edits, newest first."""
        with Session(self._reading) as session:
            query = select(EditRow).where(EditRow.model_id == model_id).order_by(col(EditRow.revision).desc())
            rows = session.exec(query.limit(limit)).all()
            return tuple(LogEntry(row.revision, row.person, row.made_at, row.sentence) for row in rows)

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
        with Session(self._writing) as session:
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
            session.commit()

    def latest_on_line(self, model_id: int, line: str) -> LogEntry | None:
        """Return the latest edit that touched a line of the user's own: its rule, formula, words or look."""
        with Session(self._reading) as session:
            query = (
                select(EditRow)
                .join(EditItemRow, col(EditItemRow.edit_id) == col(EditRow.id))
                .join(LineRow, col(LineRow.id) == col(EditItemRow.entity_id))
                .where(EditRow.model_id == model_id, EditItemRow.entity == "line", LineRow.name == line)
                .order_by(col(EditRow.revision).desc())
            )
            row = session.exec(query.limit(1)).first()
            return None if row is None else LogEntry(row.revision, row.person, row.made_at, row.sentence)

    def _step_back(self, model_id: int, person: str, is_redo: bool) -> str:
        with Session(self._writing) as session:
            frame = _frame(session, model_id)
            stack = _stacks(session, model_id, person)[int(is_redo)]
            if not stack:
                raise UndoRefused("There is nothing to put back." if is_redo else "There is nothing of yours to undo.")
            edited = stack[-1]
            edited_sentence = edited.sentence
            # What redo puts back is the edit itself; what it reverses is the undo that took it away.
            reversed_edit = _latest_undo_of(session, edited) if is_redo else edited
            edit = Edit(session, model_id)
            try:
                _reverse(session, edit, reversed_edit)
            except IntegrityError as fault:  # its name was taken since, or something leans on it
                session.rollback()
                raise UndoRefused(
                    f"This can no longer be {'put back' if is_redo else 'undone'}, because something made since "
                    f"has its name now, or needs it: {edited_sentence}."
                ) from fault
            verb = "put back" if is_redo else "took back"
            edit.describe(edited.subject, f"{verb}: {edited_sentence}")
            check_plan(load_model(session, model_id))
            link = {"redoes": edited.id} if is_redo else {"undoes": edited.id}
            _finish(session, frame, person, edit, **link)
            return edited_sentence


def _frame(session: Session, model_id: int) -> ModelRow:
    frame = session.get(ModelRow, model_id)
    if frame is None:
        known = [str(row) for row in session.exec(select(ModelRow.id)).all()]
        raise UnknownName("model", str(model_id), known)
    return frame


def _finish(session: Session, frame: ModelRow, person: str, edit: Edit, **links: int | None) -> int:
    revision = frame.revision + 1  # kept: after the commit the row may already show somebody else's edit
    frame.revision = revision
    row = EditRow(
        model_id=edit.model_id,
        revision=revision,
        person=person,
        made_at=datetime.now(UTC).isoformat(timespec="seconds"),
        subject=edit.subject,
        sentence=edit.sentence,
        **links,
    )
    session.add(frame)
    session.add(row)
    session.flush()
    for item in edit.items:
        item.edit_id = int(row.id or 0)
        session.add(item)
    session.commit()
    return revision


def _refuse_conflict(session: Session, model_id: int, seen: int, edit: Edit) -> None:
    query = (
        select(EditRow)
        .where(EditRow.model_id == model_id, col(EditRow.revision) > seen)
        .order_by(col(EditRow.revision).desc())
    )
    mine = set(edit.subject.splitlines())
    for theirs in session.exec(query).all():
        if mine & set(theirs.subject.splitlines()):
            raise EditConflict(theirs, edit.sentence)


def _stacks(session: Session, model_id: int, person: str) -> tuple[list[EditRow], list[EditRow]]:
    """The person's edits that can be taken back and put back, latest last."""
    query = select(EditRow).where(EditRow.model_id == model_id, EditRow.person == person)
    undo: list[EditRow] = []
    redo: list[EditRow] = []
    for row in session.exec(query.order_by(col(EditRow.revision))).all():
        if row.undoes is not None:
            redo.append(undo.pop())
        elif row.redoes is not None:
            undo.append(redo.pop())
        else:
            undo.append(row)
            redo.clear()
    return undo, redo


def _latest_undo_of(session: Session, edited: EditRow) -> EditRow:
    query = select(EditRow).where(EditRow.undoes == edited.id).order_by(col(EditRow.revision).desc())
    return session.exec(query.limit(1)).one()


def _reverse(session: Session, edit: Edit, edited: EditRow) -> None:
    """Bring what an edit touched back; of a row that is still there, only the columns the edit changed."""
    items = session.exec(select(EditItemRow).where(EditItemRow.edit_id == edited.id)).all()
    for item in reversed(items):
        table: Any = ENTITIES[item.entity]
        row = session.get(table, item.entity_id)
        now = _document(row) if row is not None else None
        touched = _touched(item)
        if (now is None) != (item.after is None) or (now and any(now[k] != (item.after or {})[k] for k in touched)):
            raise UndoRefused(f"This can no longer be undone, because it was changed since: {edited.sentence}.")
        if item.before is None:
            edit.remove(row)
        elif row is None:
            edit.add(table(**item.before))
        else:
            edit.update(row, **{key: item.before[key] for key in touched})


def _touched(item: EditItemRow) -> tuple[str, ...]:
    """The columns an edit changed; all of them where it added or removed the row."""
    before, after = item.before or {}, item.after or {}
    return tuple(key for key in {**before, **after} if before.get(key) != after.get(key))


def _document(row: Any) -> dict[str, Any]:
    """A row as the log keeps it; the count of edits is the log's own."""
    document: dict[str, Any] = row.model_dump()
    if isinstance(row, ModelRow):
        document.pop("revision")
    return document
