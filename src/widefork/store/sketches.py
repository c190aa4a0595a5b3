"""Sketches: one person's scratch layer over one case, apart from the log until it is kept."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import Engine
from sqlmodel import Session, col, select

from widefork.core.changes import Change, Sketch
from widefork.core.errors import UnknownName, WideforkError
from widefork.core.graph.model import Model
from widefork.store.edits.rows import Apply, named_row, next_position, present_model, refuse_taken
from widefork.store.edits.values import change_cells
from widefork.store.loading import change_of
from widefork.store.model_store import Edit
from widefork.store.names import Names
from widefork.store.saving import change_row
from widefork.store.tables import CaseRow, ChangeRow, MoveRow, SketchRow

_COLUMNS = frozenset({"id", "case_id", "move_id", "position"})


class SketchRefused(WideforkError):
    """Something a sketch cannot do, with the reason."""


@dataclass(frozen=True)
class SketchState:
    """A person's sketch as it stands.

    Parameters
    ----------
    sentences, steps : what was tried, one a step, latest last, in words and as changes. undone : what redo puts back.
    lost : how many of its changes are about lines that others have taken away since.
    """

    case: str
    changes: tuple[Change, ...]
    sentences: tuple[str, ...]
    undone: tuple[str, ...]
    lost: int = 0
    steps: tuple[tuple[Change, ...], ...] = ()

    def upon(self, model: Model) -> "SketchState":
        """Return the sketch with the changes the model, all its lines included, can still take."""
        kept = tuple(change for change in self.changes if change.line in model.line_by_name)
        steps = tuple(tuple(c for c in step if c.line in model.line_by_name) for step in self.steps)
        return replace(self, changes=kept, steps=steps, lost=self.lost + len(self.changes) - len(kept))

    @property
    def layer(self) -> Sketch:
        """The sketch as the core knows it."""
        return Sketch(self.case, self.changes)


class Sketches:
    """The sketches in one database. Safe to use from several threads."""

    def __init__(self, engine: Engine) -> None:
        self._reading = engine
        self._writing = engine.execution_options(writes=True)

    def of(self, model_id: int, person: str) -> SketchState | None:
        """Return a person's sketch on a model; None while it is switched off."""
        with Session(self._reading) as session:
            row = _row(session, model_id, person)
            return None if row is None else _state(session, row)

    def start(self, model_id: int, person: str, case: str) -> None:
        """Switch a person's sketch on, over a case; one that is already on stays. Raises UnknownName."""
        with Session(self._writing) as session:
            if _row(session, model_id, person) is None:
                case_id = int(Names(session, model_id).case(case).id or 0)
                session.add(SketchRow(model_id=model_id, case_id=case_id, person=person, steps=[], undone=[]))
                session.commit()

    def drop(self, model_id: int, person: str) -> None:
        """Switch a person's sketch off and forget what it held."""
        with Session(self._writing) as session:
            row = _row(session, model_id, person)
            if row is not None:
                session.delete(row)
                session.commit()

    def add(self, model_id: int, person: str, changes: Sequence[Change], sentence: str) -> None:
        """Try some changes as one step; raises SketchRefused when the sketch is off."""
        with Session(self._writing) as session:
            row = _needed(session, model_id, person)
            names = Names(session, model_id)
            row.steps = [*row.steps, {"sentence": sentence, "changes": [_document(c, names) for c in changes]}]
            row.undone = []
            session.add(row)
            session.commit()

    def remove(self, model_id: int, person: str, place: int) -> None:
        """Take one step out by its place, from 0; raises SketchRefused where there is none."""
        with Session(self._writing) as session:
            row = _needed(session, model_id, person)
            if not 0 <= place < len(row.steps):
                raise SketchRefused("That step is no longer in the sketch. Reload the page.")
            row.steps = [*row.steps[:place], *row.steps[place + 1 :]]
            row.undone = []
            session.add(row)
            session.commit()

    def undo(self, model_id: int, person: str) -> None:
        """Take the latest step back; raises SketchRefused where there is none."""
        self._shift(model_id, person, "steps", "undone", "There is nothing in the sketch to undo.")

    def redo(self, model_id: int, person: str) -> None:
        """Put back the step last taken back; raises SketchRefused where there is none."""
        self._shift(model_id, person, "undone", "steps", "There is nothing in the sketch to put back.")

    def _shift(self, model_id: int, person: str, source: str, target: str, sentence: str) -> None:
        with Session(self._writing) as session:
            row = _needed(session, model_id, person)
            steps: list[dict[str, Any]] = getattr(row, source)
            if not steps:
                raise SketchRefused(sentence)
            setattr(row, target, [*getattr(row, target), steps[-1]])
            setattr(row, source, steps[:-1])
            session.add(row)
            session.commit()


def keep_in_case(person: str, sentence: str) -> Apply:
    """Turn a person's sketch into the case's own changes, or in the root case into its rules."""

    def apply(edit: Edit) -> None:
        row = _needed(edit.session, edit.model_id, person)
        state = _state(edit.session, row).upon(present_model(edit))
        if state.changes:
            change_cells(state.case, state.changes, sentence)(edit)
        edit.session.delete(row)

    return apply


def keep_as_fork(person: str, name: str, label: str, sentence: str) -> Apply:
    """Turn a person's sketch into a case of its own that forks from the one sketched on."""

    def apply(edit: Edit) -> None:
        row = _needed(edit.session, edit.model_id, person)
        state = _state(edit.session, row).upon(present_model(edit))
        refuse_taken(edit.names.cases, "case", name, f"cases/{name}")
        edit.describe(f"case:{name}", sentence)
        fork = CaseRow(
            model_id=edit.model_id,
            parent_id=row.case_id,
            position=next_position(edit.names.cases),
            name=name,
            label=label,
            note="",
            moves=[],
            drops=[],
        )
        edit.add(fork)
        for place, change in enumerate(state.changes):
            edit.add(change_row(change, place, edit.names, case_id=fork.id))
        edit.session.delete(row)

    return apply


def keep_as_move(person: str, name: str, label: str, sentence: str) -> Apply:
    """Turn a person's sketch into a move, switched on in the case sketched on."""

    def apply(edit: Edit) -> None:
        row = _needed(edit.session, edit.model_id, person)
        state = _state(edit.session, row).upon(present_model(edit))
        refuse_taken(edit.names.moves, "move", name, f"moves/{name}")
        edit.describe(f"move:{name}", sentence)
        model = present_model(edit)
        starts = [change.first for change in state.changes if change.first is not None]
        move = MoveRow(
            model_id=edit.model_id,
            position=next_position(edit.names.moves),
            name=name,
            label=label,
            start=str(min(starts, default=model.timeline.first_plan)),
            note="",
        )
        edit.add(move)
        for place, change in enumerate(state.changes):
            edit.add(change_row(change, place, edit.names, move_id=move.id))
        case = named_row(edit.names.cases, "case", state.case)
        edit.update(case, moves=[*case.moves, {"move": move.id, "start": None, "strength": 1.0}])
        edit.session.delete(row)

    return apply


def _row(session: Session, model_id: int, person: str) -> SketchRow | None:
    query = select(SketchRow).where(SketchRow.model_id == model_id, col(SketchRow.person) == person)
    return session.exec(query).first()


def _needed(session: Session, model_id: int, person: str) -> SketchRow:
    row = _row(session, model_id, person)
    if row is None:
        raise SketchRefused("Your sketch is not on, perhaps it was kept or dropped in another window. Reload the page.")
    return row


def _state(session: Session, row: SketchRow) -> SketchState:
    names = Names(session, row.model_id)
    case = next(case.name for case in names.cases if case.id == row.case_id)
    read = [[_change(document, names) for document in step["changes"]] for step in row.steps]
    steps = tuple(tuple(change for change in step if change is not None) for step in read)
    return SketchState(
        case,
        tuple(change for step in steps for change in step),
        tuple(step["sentence"] for step in row.steps),
        tuple(step["sentence"] for step in row.undone),
        steps=steps,
    )


def _document(change: Change, names: Names) -> dict[str, Any]:
    return change_row(change, 0, names).model_dump(exclude=set(_COLUMNS))


def _change(document: dict[str, Any], names: Names) -> Change | None:
    """A step's change; None where its line or member has gone since."""
    try:
        return change_of(ChangeRow(position=0, **document), names)
    except (StopIteration, UnknownName):
        return None
