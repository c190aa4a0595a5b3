"""Sketches: one person's scratch layer over one case, apart from the log until it is kept."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlmodel import Session, col, select

from widefork.core.changes import Change, Move, Sketch, Switch, plan_months
from widefork.core.errors import UnknownName, WideforkError
from widefork.core.graph.model import Model
from widefork.store.database import first_row
from widefork.store.edit import Apply, Edit
from widefork.store.edits.moves import add_move, set_switch
from widefork.store.edits.rows import named_row, next_position, refuse_same_label, refuse_taken, together
from widefork.store.edits.values import change_cells
from widefork.store.loading import change_of
from widefork.store.model_store import ModelStore
from widefork.store.rows import Rows
from widefork.store.saving import change_row, step_row
from widefork.store.tables import CaseRow, ChangeRow, SketchRow
from widefork.store.targets import month_of

_COLUMNS = frozenset({"id", "case_id", "move_id", "position"})


class SketchRefused(WideforkError):
    """Something a sketch cannot do, with the reason."""


@dataclass(frozen=True)
class SketchState:
    """A person's sketch as it stands.

    Parameters
    ----------
    sentences, steps : what was tried, one a step, latest last, in words and as changes. undone : what redo puts back.
    lost : how many of its changes and moves are about what others have taken away since.
    switches : moves switched on, each as it was tried last. earlier_switches : the same without the latest step.
    """

    case: str
    changes: tuple[Change, ...]
    sentences: tuple[str, ...]
    undone: tuple[str, ...]
    lost: int = 0
    steps: tuple[tuple[Change, ...], ...] = ()
    switches: tuple[Switch, ...] = ()
    earlier_switches: tuple[Switch, ...] = ()

    def without_latest(self) -> "SketchState":
        """Return the sketch as it was before its latest step."""
        steps = self.steps[:-1]
        changes = tuple(change for step in steps for change in step)
        return replace(
            self, changes=changes, sentences=self.sentences[:-1], steps=steps, switches=self.earlier_switches
        )

    @property
    def is_empty(self) -> bool:
        """Whether nothing is tried."""
        return not self.changes and not self.switches

    def upon(self, model: Model) -> "SketchState":
        """Return the sketch with the changes the model, all its lines included, can still take."""
        kept = tuple(change for change in self.changes if change.line in model.line_by_name)
        steps = tuple(tuple(c for c in step if c.line in model.line_by_name) for step in self.steps)
        switches = tuple(switch for switch in self.switches if switch.move in model.move_by_name)
        earlier = tuple(switch for switch in self.earlier_switches if switch.move in model.move_by_name)
        gone = len(self.changes) - len(kept) + len(self.switches) - len(switches)
        lost = self.lost + gone
        return replace(self, changes=kept, steps=steps, switches=switches, earlier_switches=earlier, lost=lost)

    @property
    def layer(self) -> Sketch:
        """The sketch as the core knows it."""
        return Sketch(self.case, self.changes, self.switches)


_STANDS = (
    "SELECT model.revision, sketch.case_id, sketch.steps, sketch.undone FROM sketch"
    " JOIN model ON model.id = sketch.model_id WHERE sketch.model_id = ? AND sketch.person = ?"
)


class Sketches:
    """The sketches in one database. Safe to use from several threads."""

    def __init__(self, store: ModelStore) -> None:
        self._reading, self._writer = store.engine, store.writer
        self._read: dict[tuple[int, str], tuple[tuple[Any, ...], SketchState]] = {}

    def of(self, model_id: int, person: str) -> SketchState | None:
        """Return a person's sketch on a model; None while it is switched off, or its case is laid aside."""
        stands = first_row(self._reading, _STANDS, model_id, person)
        known = self._read.get((model_id, person))
        if stands is None or (known is not None and known[0] == stands):
            return None if stands is None or known is None else known[1]
        with Session(self._reading) as session:
            row = _row(session, model_id, person)
            if row is None:
                return None
            rows = Rows.read(session, model_id)
            if rows.needed("case", row.case_id).is_archived:
                return None
            state = _state(row, rows)
            self._read[model_id, person] = (stands, state)
            return state

    def start(self, model_id: int, person: str, case: str) -> None:
        """Switch a person's sketch on, over a case; one that is already on stays. Raises UnknownName.

        One on a case laid aside gives way.
        """
        rows = self._rows(model_id)
        case_id = int(rows.case(case).id or 0)
        with self._writer.transaction() as session:
            known = _row(session, model_id, person)
            if known is not None and rows.needed("case", known.case_id).is_archived:
                session.delete(known)
                session.flush()
                known = None
            if known is None:
                session.add(SketchRow(model_id=model_id, case_id=case_id, person=person, steps=[], undone=[]))

    def drop(self, model_id: int, person: str) -> None:
        """Switch a person's sketch off and forget what it held."""
        with self._writer.transaction() as session:
            row = _row(session, model_id, person)
            if row is not None:
                session.delete(row)

    def add(
        self, model_id: int, person: str, changes: Sequence[Change], sentence: str, switches: Sequence[Switch] = ()
    ) -> None:
        """Try some changes and moves as one step; raises SketchRefused when the sketch is off."""
        rows = self._rows(model_id)
        step: dict[str, Any] = {"sentence": sentence, "changes": [_document(change, rows) for change in changes]}
        if switches:
            step["switches"] = [_switch_document(switch, rows) for switch in switches]
        with self._writer.transaction() as session:
            row = _needed(session, model_id, person)
            row.steps, row.undone = [*row.steps, step], []
            session.add(row)

    def remove(self, model_id: int, person: str, place: int) -> None:
        """Take one step out by its place, from 0; raises SketchRefused where there is none."""
        with self._writer.transaction() as session:
            row = _needed(session, model_id, person)
            if not 0 <= place < len(row.steps):
                raise SketchRefused("That step is no longer in the sketch. Reload the page.")
            row.steps, row.undone = [*row.steps[:place], *row.steps[place + 1 :]], []
            session.add(row)

    def undo(self, model_id: int, person: str) -> None:
        """Take the latest step back; raises SketchRefused where there is none."""
        self._shift(model_id, person, "steps", "undone", "There is nothing in the sketch to undo.")

    def redo(self, model_id: int, person: str) -> None:
        """Put back the step last taken back; raises SketchRefused where there is none."""
        self._shift(model_id, person, "undone", "steps", "There is nothing in the sketch to put back.")

    def keep_in_case(self, person: str, sentence: str) -> Apply:
        """Turn a person's sketch into the case's last steps, or in the root case into its rules; see `change_cells`."""

        def apply(edit: Edit) -> None:
            state, timeline = self._taken(edit, person), edit.present_model().timeline
            spans = [(change, plan_months(change, timeline)) for change in state.changes]
            changes = [change for change, span in spans if span.start < span.stop]  # months may have closed since
            kept = [set_switch(state.case, switch, sentence) for switch in state.switches]
            if changes:
                kept.append(change_cells(state.case, changes, sentence))
            if kept:
                together(kept, sentence)(edit)

        return apply

    def keep_as_fork(self, person: str, name: str, label: str, sentence: str) -> Apply:
        """Turn a person's sketch into a case of its own that forks from the one sketched on."""

        def apply(edit: Edit) -> None:
            state = self._taken(edit, person)
            refuse_taken(edit.rows.cases, "case", name, f"cases/{name}")
            refuse_same_label(edit.rows.cases, "case", label, f"cases/{name}")
            edit.describe(f"case:{name}", sentence)
            fork = CaseRow(
                model_id=edit.model_id,
                parent_id=edit.rows.case(state.case).id,
                position=next_position(edit.rows.cases),
                name=name,
                label=label,
                note="",
                drops=[],
            )
            edit.add(fork)
            for place, step in enumerate(state.layer.steps):
                edit.add(step_row(step, place, edit.rows, int(fork.id or 0)))

        return apply

    def keep_as_move(self, person: str, name: str, label: str, sentence: str, is_on: bool = True) -> Apply:
        """Turn a person's sketch into a move; ``is_on`` switches it on in the case sketched on."""

        def apply(edit: Edit) -> None:
            state = self._taken(edit, person)
            if state.switches:
                said = (
                    "This sketch switches moves, and a move is made of changes only. Keep it in its case or as a fork."
                )
                raise SketchRefused(said)
            starts = [change.first for change in state.changes if change.first is not None]
            start = min(starts, default=edit.present_model().timeline.first_plan)
            add_move(Move(name, label, start, state.changes), sentence, state.case if is_on else "")(edit)

        return apply

    def _taken(self, edit: Edit, person: str) -> SketchState:
        """A person's sketch as the model can take it; the sketch goes when the edit is written."""
        with Session(self._reading) as session:
            state = _state(_needed(session, edit.model_id, person), edit.rows)

        def forget(session: Session) -> None:
            session.delete(_needed(session, edit.model_id, person))

        edit.also(forget)
        return state.upon(edit.present_model())

    def _rows(self, model_id: int) -> Rows:
        with Session(self._reading) as session:
            return Rows.read(session, model_id)

    def _shift(self, model_id: int, person: str, source: str, target: str, sentence: str) -> None:
        with self._writer.transaction() as session:
            row = _needed(session, model_id, person)
            steps: list[dict[str, Any]] = getattr(row, source)
            if not steps:
                raise SketchRefused(sentence)
            setattr(row, target, [*getattr(row, target), steps[-1]])
            setattr(row, source, steps[:-1])
            session.add(row)


def _row(session: Session, model_id: int, person: str) -> SketchRow | None:
    query = select(SketchRow).where(SketchRow.model_id == model_id, col(SketchRow.person) == person)
    return session.exec(query).first()


def _needed(session: Session, model_id: int, person: str) -> SketchRow:
    row = _row(session, model_id, person)
    if row is None:
        raise SketchRefused("Your sketch is not on, perhaps it was kept or dropped in another window. Reload the page.")
    return row


def _state(row: SketchRow, rows: Rows) -> SketchState:
    case = rows.needed("case", row.case_id).name
    read = [[_change(document, rows) for document in step["changes"]] for step in row.steps]
    steps = tuple(tuple(change for change in step if change is not None) for step in read)
    tried = [_switches(step, rows) for step in row.steps]
    return SketchState(
        case,
        tuple(change for step in steps for change in step),
        tuple(step["sentence"] for step in row.steps),
        tuple(step["sentence"] for step in row.undone),
        lost=sum(switch is None for step in tried for switch in step),
        steps=steps,
        switches=_turns(tried, rows),
        earlier_switches=_turns(tried[:-1], rows),
    )


def _switches(step: dict[str, Any], rows: Rows) -> list[Switch | None]:
    """The moves a step switches; None for each that has gone since."""
    return [_switch(document, rows) for document in step.get("switches", ())]


def _turns(tried: Sequence[Sequence[Switch | None]], rows: Rows) -> tuple[Switch, ...]:
    """Every move as it was tried last; of those that exclude one another only the one tried last."""
    latest = {switch.move: switch for step in tried for switch in step if switch is not None}
    groups = {row.name: row.one_of or row.name for row in rows.moves}
    kept = {groups[name]: switch for name, switch in latest.items()}
    return tuple(kept.values())


def _switch_document(switch: Switch, rows: Rows) -> dict[str, Any]:
    start = None if switch.start is None else str(switch.start)
    return {"move": named_row(rows.moves, "move", switch.move).id, "start": start, "strength": switch.strength}


def _switch(document: dict[str, Any], rows: Rows) -> Switch | None:
    """A move tried; None where it has gone since."""
    name = next((row.name for row in rows.moves if row.id == document["move"]), None)
    return None if name is None else Switch(name, month_of(document["start"]), document["strength"])


def _document(change: Change, rows: Rows) -> dict[str, Any]:
    return change_row(change, 0, rows).model_dump(exclude=set(_COLUMNS))


def _change(document: dict[str, Any], rows: Rows) -> Change | None:
    """A step's change; None where its line or member has gone since."""
    try:
        return change_of(ChangeRow(position=0, **document), rows)
    except (KeyError, UnknownName):
        return None
