"""The store of models: load, edit, undo and redo.

A model that is open stands in memory: its rows, the model read from them, the plan compiled from it. An edit is made
on these, under the model's turn, and checked; only then a short transaction writes the rows it touched and the log.
"""

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from itertools import groupby
from threading import Lock, RLock
from typing import Any
from weakref import WeakValueDictionary

from sqlalchemy import Engine, Table, update
from sqlalchemy.exc import IntegrityError
from sqlmodel import Session, select

from widefork.core.errors import InvalidModel, UnknownName
from widefork.core.finance.assemble import build_plan, check_plan
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan, check_problems
from widefork.store import log
from widefork.store.database import first_row
from widefork.store.edit import Apply, Edit, touched
from widefork.store.errors import EditConflict, StoreUnavailable, UndoRefused
from widefork.store.ids import Ids
from widefork.store.loading import ModelBuilder
from widefork.store.log import Author, Done, LogEntry, Stacks, Touched
from widefork.store.rows import Row, Rows
from widefork.store.saving import rows_of
from widefork.store.shelf import Shelf
from widefork.store.subjects import meet
from widefork.store.tables import ENTITIES, EditItemRow, ModelRow
from widefork.store.undo import reverse
from widefork.store.writing import Writer

MODELS_OPEN = 16
TRIES = 5
"""How often an edit is made anew when another process got in between."""


@dataclass(frozen=True)
class Stored:
    """A model as it stands, with its revision and, where it came from a store, its plan."""

    id: int
    model: Model
    revision: int
    plan: Plan | None = None


class _Overtaken(Exception):
    """Another process wrote to the model, or took an id, since it was read."""


class OpenModel:
    """A model in memory. Its rows belong to whoever has the model's turn; the rest may be read by anybody."""

    def __init__(self, rows: Rows, earlier: Plan | None = None) -> None:
        self.rows = rows
        self.builder = ModelBuilder(rows)
        model = self.builder.build()
        self.stored = Stored(rows.model_id, model, rows.frame.revision, build_plan(model, earlier))
        self.stacks: dict[str, Stacks] = {}
        self.passed_over: dict[str, set[int]] = {}
        self.latest: LogEntry | None = None

    @property
    def plan(self) -> Plan:
        """The compiled model."""
        assert self.stored.plan is not None  # always given here
        return self.stored.plan


class ModelStore:
    """Models in one database. Safe to use from several threads."""

    def __init__(self, engine: Engine) -> None:
        self.engine = self._reading = engine
        self.writer = Writer(engine)
        self.shelf = Shelf(engine, self.writer)
        self._ids = Ids()
        self._open: dict[int, OpenModel] = {}
        self._turns: WeakValueDictionary[int, Any] = WeakValueDictionary()
        self._lock = Lock()

    @contextmanager
    def turn(self, model_id: int) -> Iterator[None]:
        """Have a model to oneself for writing: writers of one model stand in a queue, all others are not held up."""
        with self._lock:
            turn = self._turns.get(model_id)
            if turn is None:
                turn = self._turns[model_id] = RLock()
        with turn:
            yield

    def create(self, model: Model) -> int:
        """Store a new model; return its id.

        Raises
        ------
        InvalidModel, FormulaError: a model that cannot be computed.
        """
        check_plan(model)
        for _ in range(TRIES):
            with Session(self._reading) as session:
                self._ids.learn(session)
            rows = rows_of(model, self._ids)
            try:
                with self.writer.transaction() as session:
                    _insert(session, [rows.frame, *rows.all()])
                return rows.model_id
            except IntegrityError as fault:
                if not _is_taken_id(fault):
                    raise
        raise StoreUnavailable("Too many others are writing at once. Nothing was changed; try again.")

    def delete(self, model_id: int) -> None:
        """Remove a model, its log included."""
        with self.turn(model_id):
            self.shelf.delete(model_id)
            self._open.pop(model_id, None)

    def load(self, model_id: int) -> Stored:
        """Return a model as it stands; raise UnknownName."""
        revision = self.revision(model_id)
        known = self._open.get(model_id)
        if known is not None and known.stored.revision == revision:
            return known.stored
        with self.turn(model_id):
            return self._opened(model_id).stored

    def revision(self, model_id: int) -> int:
        """Return a model's revision; raise UnknownName."""
        found = first_row(self._reading, "SELECT revision FROM model WHERE id = ?", model_id)
        if found is None:
            with Session(self._reading) as session:
                raise UnknownName("model", str(model_id), [str(one) for one in session.exec(select(ModelRow.id)).all()])
        return int(found[0])

    def edit(self, model_id: int, person: str, seen: int, change: Apply, despite_conflict: bool = False) -> int:
        """Make one edit: all of it, or nothing.

        Parameters
        ----------
        person : who makes it. seen : the revision the person was looking at.
        change : makes it, through the Edit it is given, and describes it. Made anew on the latest model where another
            process got in between.
        despite_conflict : go on where somebody else has edited the same since ``seen``.

        Returns
        -------
        The new revision; the old one when nothing was touched.

        Raises
        ------
        EditConflict: somebody else edited the same since ``seen``.
        StoreUnavailable: the file cannot be written.
        WideforkError: the edit would leave a model that cannot be computed. Whatever is raised, nothing is stored.
        """

        def make(edit: Edit) -> dict[str, int | None]:
            change(edit)
            if edit.items and not despite_conflict:
                self._refuse_conflict(edit, person, seen)
            return {}

        return self._make(model_id, person, make)

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
        stacks = self._open_stacks(model_id, person)
        return (
            stacks.undo[-1].sentence if stacks.undo else None,
            stacks.redo[-1].sentence if stacks.redo else None,
        )

    def log(self, model_id: int, limit: int = 50) -> tuple[LogEntry, ...]:
        """Return the latest edits, newest first."""
        with Session(self._reading) as session:
            return log.entries(session, model_id, limit)

    def touched(self, model_id: int, entries: Iterable[LogEntry]) -> tuple[tuple[Touched, ...], ...]:
        """Return what each of some edits was about, by the names of today."""
        with self.turn(model_id):
            rows = self._opened(model_id).rows
            return tuple(log.touched_by(entry, rows) for entry in entries)

    def take_back(self, model_id: int, person: str, revision: int) -> str:
        """Take back any single edit, whoever made it; return its sentence. It is an edit of its own in the log.

        Raises
        ------
        UndoRefused: no such edit, or something later touches the same.
        """
        with Session(self._reading) as session:
            row = log.edit_at(session, model_id, revision)
            if row is None:
                raise UndoRefused(f"There is no edit {revision} in this model.")
            edit_id, sentence, subject, is_own = int(row.id or 0), row.sentence, row.subject, row.person == person
            items = log.items_of(session, edit_id)
            session.expunge_all()

        def make(edit: Edit) -> dict[str, int | None]:
            reverse(edit, items, sentence)
            edit.describe(subject, f"took back: {sentence}")
            # One's own can be put back by redo; another person's is an edit like any other, and so can be undone.
            return {"undoes": edit_id} if is_own and row.undoes is None and row.redoes is None else {}

        try:
            self._make(model_id, person, make)
        except (IntegrityError, KeyError, InvalidModel) as fault:
            raise UndoRefused(
                f"This can no longer be taken back; something made since has its name now, or needs it: {sentence}."
            ) from fault
        return sentence

    def latest(self, model_id: int) -> LogEntry | None:
        """Return the latest edit; None where there is none."""
        known = self._open.get(model_id)
        if known is not None and known.latest is not None and known.latest.revision == self.revision(model_id):
            return known.latest
        return next(iter(self.log(model_id, 1)), None)

    def latest_on_line(self, model_id: int, line: str) -> LogEntry | None:
        """Return the latest edit that touched a line of the user's own: its rule, formula, words or look."""
        with Session(self._reading) as session:
            return log.latest_on_line(session, model_id, line)

    def step_authors(self, model_id: int) -> dict[str, tuple[Author | None, ...]]:
        """Return who last wrote each of a case's own steps, by case, in the order of its steps."""
        with Session(self._reading) as session:
            known = log.step_authors(session, model_id)
        with self.turn(model_id):
            rows = self._opened(model_id).rows
            return {
                case.name: tuple(known.get((row.__tablename__, int(row.id or 0))) for row in steps)
                for case in rows.cases
                for steps in (rows.steps_of_case(case.id),)
            }

    def note_authors(self, model_id: int) -> dict[str, Author]:
        """Return who last wrote a line's reason, by line; those that came with the model have none."""
        with Session(self._reading) as session:
            known = log.note_authors(session, model_id)
        with self.turn(model_id):
            rows = self._opened(model_id).rows
            return {row.name: known[row.id] for row in rows.lines if row.id in known}

    # in memory

    def _opened(self, model_id: int) -> OpenModel:
        """The model as it stands in the database, read anew where another process wrote to it. Under its turn only."""
        revision = self.revision(model_id)
        known = self._open.get(model_id)
        if known is not None and known.stored.revision == revision:
            return known
        with Session(self._reading) as session:
            rows = Rows.read(session, model_id)
            self._ids.learn(session)
        opened = OpenModel(rows, known.plan if known is not None else None)
        with self._lock:
            self._open.pop(model_id, None)
            self._open[model_id] = opened
            for other in list(self._open)[:-MODELS_OPEN]:
                del self._open[other]
        return opened

    def _open_stacks(self, model_id: int, person: str) -> Stacks:
        """What a person can take back and put back, but for what was passed over."""
        stacks, opened = self._stacks(model_id, person), self._open.get(model_id)
        for edit_id in opened.passed_over.get(person, ()) if opened is not None else ():
            stacks = stacks.without(edit_id)
        return stacks

    def _stacks(self, model_id: int, person: str) -> Stacks:
        opened = self._open.get(model_id)
        if opened is not None and person in opened.stacks and opened.stored.revision == self.revision(model_id):
            return opened.stacks[person]
        with self.turn(model_id):
            return self._read_stacks(self._opened(model_id), person)

    def _read_stacks(self, opened: OpenModel, person: str) -> Stacks:
        if person not in opened.stacks:
            with Session(self._reading) as session:
                opened.stacks[person] = log.stacks_of(session, opened.rows.model_id, person)
        return opened.stacks[person]

    def _make(self, model_id: int, person: str, make: Any) -> int:
        """Make an edit on the model in memory, check it, and only then write it."""
        with self.turn(model_id):
            for _ in range(TRIES):
                opened = self._opened(model_id)
                edit = Edit(opened.rows, opened.builder, self._ids, opened.plan)
                try:
                    links = make(edit)
                    if not edit.items:
                        return opened.stored.revision
                    opened.builder.forget(touched(edit.items))
                    model = opened.builder.build()
                    plan = build_plan(model, opened.plan)
                    check_problems(plan)
                    self._read_stacks(opened, person)
                    edit_id, made_at = self._write(opened, edit, person, links)
                except _Overtaken:
                    edit.take_back()
                    self._open.pop(model_id, None)
                    continue
                except BaseException:
                    edit.take_back()
                    raise
                revision = opened.rows.frame.revision = opened.stored.revision + 1
                done = Done(edit_id, edit.subject, edit.sentence)
                opened.stacks[person] = opened.stacks[person].with_edit(done, **links)
                opened.passed_over = {who: ids for who, ids in opened.passed_over.items() if who == person}
                opened.latest = LogEntry(revision, person, made_at, edit.sentence)
                opened.stored = Stored(model_id, model, revision, plan)
                return revision
        raise StoreUnavailable("Too many others are writing at once. Nothing was changed; try again.")

    def _write(self, opened: OpenModel, edit: Edit, person: str, links: dict[str, int | None]) -> tuple[int, str]:
        """Write the rows an edit touched and its entry in the log, if the model still stands where it was read.

        Returns the entry's id, and when it was made.
        """
        revision = opened.stored.revision
        frame = ModelRow.__table__  # type: ignore[attr-defined]
        with self.writer.transaction() as session:
            connection = session.connection()
            stands = connection.execute(select(ModelRow.revision).where(ModelRow.id == edit.model_id)).scalar()
            if stands != revision:
                raise _Overtaken
            try:
                for item in edit.items:
                    _write_row(session, item)
                connection.execute(update(frame).where(frame.c.id == edit.model_id).values(revision=revision + 1))
                for write in edit.beside:
                    write(session)
                return log.write_entry(session, edit, person, revision + 1, **links)
            except IntegrityError as fault:
                if _is_taken_id(fault):
                    raise _Overtaken from fault
                raise

    def _refuse_conflict(self, edit: Edit, person: str, seen: int) -> None:
        if seen >= edit.rows.frame.revision:
            return
        with Session(self._reading) as session:
            for theirs in log.edits_since(session, edit.model_id, seen):
                if theirs.person != person and meet(edit.subject, theirs.subject):
                    raise EditConflict(theirs.person, theirs.sentence, edit.sentence, theirs.revision)

    def _step_back(self, model_id: int, person: str, is_redo: bool) -> str:
        tried: list[Done] = []

        def make(edit: Edit) -> dict[str, int | None]:
            stacks = self._open_stacks(model_id, person)
            stack = stacks.redo if is_redo else stacks.undo
            if not stack:
                raise UndoRefused("There is nothing to put back." if is_redo else "There is nothing of yours to undo.")
            done = stack[-1]
            tried[:] = [done]
            with Session(self._reading) as session:
                # What redo puts back is the edit itself; what it reverses is the undo that took it away.
                reversed_edit = log.latest_undo_of(session, done.id) if is_redo else done.id
                items = log.items_of(session, reversed_edit)
            reverse(edit, items, done.sentence)
            edit.describe(done.subject, f"{'put back' if is_redo else 'took back'}: {done.sentence}")
            return {"redoes": done.id} if is_redo else {"undoes": done.id}

        try:
            self._make(model_id, person, make)
        except UndoRefused as fault:
            raise self._passed_over(model_id, person, tried, is_redo, str(fault)) from fault
        except (IntegrityError, KeyError, InvalidModel) as fault:  # its name was taken since, or something leans on it
            said = (
                f"This can no longer be {'put back' if is_redo else 'undone'}, because something made since "
                f"has its name now, or needs it: {tried[0].sentence}."
            )
            raise self._passed_over(model_id, person, tried, is_redo, said) from fault
        return tried[0].sentence

    def _passed_over(self, model_id: int, person: str, tried: list[Done], is_redo: bool, said: str) -> UndoRefused:
        """Pass over an edit that cannot be taken back now, so that it does not bar the person's earlier ones.

        Whatever somebody else does next may free it, so then it is offered again.
        """
        if not tried:
            return UndoRefused(said)
        with self.turn(model_id):
            self._opened(model_id).passed_over.setdefault(person, set()).add(tried[0].id)
            stacks = self._open_stacks(model_id, person)
        stack = stacks.redo if is_redo else stacks.undo
        again = "Put back once more for" if is_redo else "Undo once more takes back"
        further = f"{again}: {stack[-1].sentence}." if stack else "That was the last one."
        return UndoRefused(f"{said} It stays. {further}")


def _insert(session: Session, rows: Iterable[Row]) -> None:
    """Insert rows as they come, neighbours of one table at once."""
    for table, own in groupby(rows, key=lambda row: row.__table__):
        session.connection().execute(table.insert(), [row.model_dump() for row in own])


def _write_row(session: Session, item: EditItemRow) -> None:
    table: Table = ENTITIES[item.entity].__table__  # type: ignore[attr-defined]
    connection = session.connection()
    if item.before is None:
        connection.execute(table.insert().values(**item.after or {}))
    elif item.after is None:
        connection.execute(table.delete().where(table.c.id == item.entity_id))
    else:
        changed = {key: value for key, value in item.after.items() if item.before.get(key) != value}
        connection.execute(table.update().where(table.c.id == item.entity_id).values(**changed))


def _is_taken_id(fault: IntegrityError) -> bool:
    return str(fault.orig).startswith("UNIQUE constraint failed") and str(fault.orig).endswith(".id")
