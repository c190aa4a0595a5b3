"""Edits of cases: fork, rename, weigh, order, lay aside, remove; and their steps, drops and parents.

What becomes of the whole family is worked out by ``core.changes.family``; here it is written, each step that stays
keeping its row, so that its author and whoever drops it stay too.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from widefork.core.analysis.compare import evaluate_cases
from widefork.core.analysis.merge import Merge
from widefork.core.analysis.side_by_side import Given, root_changes, steps_for
from widefork.core.axes import Grain, Month
from widefork.core.changes import Case, Change, Family, Layer, Move, Step, step_at
from widefork.core.errors import InvalidModel
from widefork.core.graph.rollup import roll_up
from widefork.store.edit import Apply, Edit
from widefork.store.edits.moves import add_move
from widefork.store.edits.rows import next_position, refuse_same_label, refuse_taken, swap_positions
from widefork.store.edits.values import change_cells
from widefork.store.loading import step_of
from widefork.store.saving import drop_documents, step_row
from widefork.store.tables import CaseRow

Rework = Callable[[Family], Family]


def add_case(case: Case, sentence: str) -> Apply:
    """Add a case behind the others, a fork of its parent, with the steps and drops it has.

    Raises (when applied)
    ------
    InvalidModel: its name or label is another case's.
    """

    def apply(edit: Edit) -> None:
        refuse_taken(edit.rows.cases, "case", case.name, f"cases/{case.name}")
        refuse_same_label(edit.rows.cases, "case", case.label, f"cases/{case.name}")
        row = CaseRow(
            model_id=edit.model_id,
            parent_id=edit.rows.case(case.parent or "").id,
            position=next_position(edit.rows.cases),
            name=case.name,
            label=case.label,
            note=case.note,
            drops=[],
        )
        edit.add(row)
        edit.describe(f"case:{case.name}", sentence)
        for place, step in enumerate(case.steps):
            edit.add(step_row(step, place, edit.rows, int(row.id or 0)))
        edit.update(row, drops=drop_documents(case, row, edit.rows))

    return apply


def change_case(name: str, sentence: str, **values: Any) -> Apply:
    """Change a case's label, note, weight or pin.

    Raises (when applied)
    ------
    InvalidModel: a label another case has, a weight outside 0 to 1.
    """

    def apply(edit: Edit) -> None:
        row = edit.rows.case(name)
        if values.get("label", row.label) != row.label:
            refuse_same_label(edit.rows.cases, "case", values["label"], f"cases/{name}", row)
        edit.describe(f"case:{row.id}", sentence)
        edit.update(row, **values)

    return apply


def move_case(name: str, by: int, sentence: str) -> Apply:
    """Move a case one place up (-1) or down (+1) among those shown; the root stays first."""

    def apply(edit: Edit) -> None:
        row = edit.rows.case(name)
        edit.describe(f"case:{row.id}|order", sentence)
        shown = [case for case in edit.rows.cases if not case.is_archived and case.parent_id is not None]
        if row in shown:
            swap_positions(edit, shown, row, by)

    return apply


def archive_case(name: str, sentence: str) -> Apply:
    """Lay a case aside, and with it all that fork from it.

    Raises (when applied)
    ------
    InvalidModel: the root.
    """

    def apply(edit: Edit) -> None:
        row = edit.rows.case(name)
        _refuse_root(row)
        edit.describe(f"case:{row.id}", sentence)
        for each in (name, *edit.present_model().family.forks_of(name)):
            edit.update(edit.rows.case(each), is_archived=True, is_pinned=False)

    return apply


def bring_case_back(name: str, sentence: str) -> Apply:
    """Bring back a case that was laid aside, and those it forks from."""

    def apply(edit: Edit) -> None:
        row: CaseRow | None = edit.rows.case(name)
        edit.describe(f"case:{edit.rows.case(name).id}", sentence)
        while row is not None:
            edit.update(row, is_archived=False)
            row = None if row.parent_id is None else edit.rows.needed("case", row.parent_id)

    return apply


def remove_case(name: str, sentence: str) -> Apply:
    """Remove a case and its steps.

    Raises (when applied)
    ------
    InvalidModel: the root, or a case others fork from.
    """

    def apply(edit: Edit) -> None:
        row = edit.rows.case(name)
        _refuse_root(row)
        forks = [case.label for case in edit.rows.cases if case.parent_id == row.id]
        if forks:
            them = "it" if len(forks) == 1 else "them"
            raise InvalidModel(
                f"{', '.join(forks)} {'forks' if len(forks) == 1 else 'fork'} from {row.label}. "
                f"Put {them} under another case first, or remove {them}.",
                f"cases/{name}",
            )
        edit.describe(f"case:{row.id}", sentence)
        for step in edit.rows.steps_of_case(row.id):
            edit.remove(step)
        edit.remove(row)

    return apply


def put_under(name: str, parent: str, keeps_numbers: bool, sentence: str) -> Apply:
    """Give a case another parent; see ``Family.under``."""
    return _reworked(name, lambda family: family.under(name, parent, keeps_numbers), sentence)


def adopt(name: str, sentence: str) -> Apply:
    """Let the root take all a case does, every other case keeping its numbers; see ``Family.adopted``."""
    return _reworked("", lambda family: family.adopted(name), sentence)


def take_out(name: str, layers: Sequence[Layer], sentence: str) -> Apply:
    """Take steps out of a case: its own go, inherited ones are dropped here.

    Raises (when applied)
    ------
    InvalidModel: one of them is no longer there.
    """

    def rework(family: Family) -> Family:
        for layer in layers:
            found = next((one for one in family.layers_of(name) if _is_same(one, layer)), None)
            if found is None:
                raise InvalidModel(f"{family.case(name).label} no longer does that. Reload the page.", f"cases/{name}")
            if found.case == name:
                steps = family.case(name).steps
                family = family.with_steps(name, (step for step in steps if step is not found.step))
            else:
                family = family.dropping(name, found)
        return family

    return _reworked(name, rework, sentence)


def put_back(name: str, drop: str, sentence: str) -> Apply:
    """Inherit a dropped step again."""
    return _reworked(name, lambda family: family.putting_back(name, drop), sentence)


def replace_step(name: str, place: int, was: Step, step: Step | None, sentence: str) -> Apply:
    """Let one of a case's own steps do something else, or go where ``step`` is None.

    Raises (when applied)
    ------
    InvalidModel: what stands there is no longer ``was``.
    """

    def rework(family: Family) -> Family:
        case = family.case(name)
        if step_at(case, place) != was:
            raise InvalidModel(f"{case.label} has changed here since. Reload the page and try again.", f"cases/{name}")
        kept = () if step is None else (step,)
        return family.with_steps(name, (*case.steps[:place], *kept, *case.steps[place + 1 :]))

    return _reworked(name, rework, sentence)


def move_step(name: str, place: int, by: int, sentence: str) -> Apply:
    """Let one of a case's own steps apply earlier (-1) or later (+1); at an end it stays."""

    def rework(family: Family) -> Family:
        case = family.case(name)
        step, steps = step_at(case, place), list(case.steps)
        if 0 <= place + by < len(steps):
            steps.insert(place + by, steps.pop(place))
        return family.with_steps(name, steps) if step else family

    return _reworked(name, rework, sentence)


def copy_steps(steps: Sequence[Step], cases: Sequence[str], sentence: str) -> Apply:
    """Append steps to other cases, as their last; a change written there already is not written twice."""

    def rework(family: Family) -> Family:
        for name in cases:
            case = family.case(name)
            own = [replace(step, name="") if isinstance(step, Change) else step for step in steps]
            known = [replace(step, name="") if isinstance(step, Change) else step for step in case.steps]
            family = family.with_steps(name, (*case.steps, *(step for step in own if step not in known)))
        return family

    return _reworked(cases[0] if len(cases) == 1 else "", rework, sentence)


def bundle_steps(name: str, places: Iterable[int], label: tuple[str, str], sentence: str) -> Apply:
    """Make a move of some of a case's own changes, switched on where the first of them stood.

    Parameters
    ----------
    label : the move's name and label.
    """
    chosen = tuple(places)

    def apply(edit: Edit) -> None:
        model = edit.present_model()
        case = model.family.case(name)
        starts = [step.first for place in chosen for step in (step_at(case, place),) if isinstance(step, Change)]
        known = [month for month in starts if month is not None]
        start: Month = min(known, default=model.timeline.first_plan)
        family = model.family.bundled(name, chosen, Move(*label, start))
        add_move(family.moves[label[0]], sentence)(edit)
        _write(edit, family)
        edit.describe(f"case:{edit.rows.case(name).id}", sentence)

    return apply


def add_merged(merge: Merge, sentence: str) -> Apply:
    """Add a case of another file, and the moves that come along with it."""

    def apply(edit: Edit) -> None:
        for move in merge.moves:
            add_move(move, sentence)(edit)
        case = merge.family.case(merge.case)
        add_case(replace(case, steps=(), drops=()), sentence)(edit)
        _write(edit, merge.family)
        row = edit.rows.case(case.name)
        edit.update(row, weight=case.weight)
        edit.describe(f"case:{case.name}", sentence)

    return apply


def set_side_by_side(givens: Sequence[Given], holds: bool, sentence: str) -> Apply:
    """Give values of several cases at once: the root's first, then each case's on what it inherits by then.

    Raises (when applied)
    ------
    InvalidValue: a period that is history, or whose actual months hold more than its total.
    ChangeRefused: a line that cannot be changed, a calculated one in the root.
    """

    def apply(edit: Edit) -> None:
        model, plan = edit.present_model(), edit.present_plan()
        names = [case.name for case in model.cases]
        lines = list(dict.fromkeys(given.line for given in givens))
        before = evaluate_cases(plan, names, lines)
        months = model.timeline.periods(Grain.MONTH)
        root = [given for given in givens if given.case == names[0]]
        changes = root_changes(root, before, 0)
        if changes:
            change_cells(names[0], changes, sentence)(edit)
        plan, family = edit.present_plan(), edit.present_model().family
        for case in family.parents_first:
            own = [given for given in givens if given.case == case.name]
            if own and case.parent is not None:
                place = names.index(case.name)
                now = {one.row: roll_up(before, one.line, months, one.members)[:, place] for one in own}
                family = family.with_steps(case.name, steps_for(plan, family, case.name, own, now, holds))
        _write(edit, family)
        about = dict.fromkeys(edit.rows.case(given.case).id for given in givens)
        edit.describe("\n".join(f"case:{row_id}" for row_id in about), sentence)

    return apply


def _reworked(name: str, rework: Rework, sentence: str) -> Apply:
    """An edit that rewrites cases; it is about one of them, or about all."""

    def apply(edit: Edit) -> None:
        family = rework(edit.present_model().family)
        about = [edit.rows.case(name)] if name else edit.rows.cases
        edit.describe("\n".join(f"case:{row.id}" for row in about), sentence)
        _write(edit, family)

    return apply


def _write(edit: Edit, family: Family) -> None:
    """Write the cases of a family where they differ from what stands in the rows."""
    now: Mapping[str, Case] = {case.name: case for case in edit.present_model().family.cases}
    changed = [case for case in family.parents_first if now[case.name] != case]
    for case in changed:
        row = edit.rows.case(case.name)
        edit.update(row, parent_id=edit.rows.case(case.parent).id if case.parent else None)
        if now[case.name].steps != case.steps:
            _write_steps(edit, row, case.steps)
    for case in family.parents_first:  # what one drops by its name may now be another's step
        row = edit.rows.case(case.name)
        edit.update(row, drops=drop_documents(case, row, edit.rows))


def _write_steps(edit: Edit, case: CaseRow, steps: Sequence[Step]) -> None:
    """A step that stays keeps its row; one that only does something else, or got a name, is written over."""
    rows = edit.rows.steps_of_case(case.id)
    stands = [step_of(row, edit.rows) for row in rows]
    free = list(range(len(rows)))
    placed: dict[int, int] = {}
    for place, step in enumerate(steps):
        same = next((one for one in free if stands[one] == step), None)
        if same is not None:
            placed[place] = same
            free.remove(same)
    for place, step in enumerate(steps):
        like = [one for one in free if place not in placed and _is_like(stands[one], step)]
        if like:
            placed[place] = like[0]
            free.remove(like[0])
    for one in free:
        edit.remove(rows[one])
    for place, step in enumerate(steps):
        fresh = step_row(step, place, edit.rows, int(case.id or 0))
        if place in placed:
            edit.update(rows[placed[place]], **fresh.model_dump(exclude={"id", "case_id"}))
        else:
            edit.add(fresh)


def _is_like(one: Step, other: Step) -> bool:
    """Whether two steps are about the same line or move."""
    if isinstance(one, Change) or isinstance(other, Change):
        return isinstance(one, Change) and isinstance(other, Change) and one.line == other.line
    return one.move == other.move


def _is_same(one: Layer, other: Layer) -> bool:
    return (one.case, one.step) == (other.case, other.step)


def _refuse_root(row: CaseRow) -> None:
    if row.parent_id is None:
        raise InvalidModel(f"{row.label} is the root; every case forks from it, so it stays.", f"cases/{row.name}")
