"""Edits of what lines are worth: cells, rules, actual months, and back to the parent case."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Month
from widefork.core.changes import ByHand, Change, Operation, changed_months, joined, meet, plan_months, without
from widefork.core.closing import NOT_GIVEN
from widefork.core.errors import ChangeRefused, InvalidValue
from widefork.core.finance.assemble import LEVEL
from widefork.core.graph.model import Model
from widefork.core.lines import Line, MemberKey
from widefork.core.rules import RULES, Rule, read_rule, refit, write_rule
from widefork.store.edit import Apply, Edit
from widefork.store.edits.rows import line_row_of, next_position
from widefork.store.edits.schedules import set_register_value
from widefork.store.loading import change_of, step_of
from widefork.store.saving import change_row, without_gaps
from widefork.store.subjects import cells_subject
from widefork.store.tables import CaseRow, ChangeRow, ScheduleRow
from widefork.store.targets import Target


@dataclass(frozen=True)
class CellsBack:
    """Cells of a line that go back to what the parent case says. ``members`` () is all; an open month is None."""

    line: str
    members: MemberKey = ()
    first: Month | None = None
    last: Month | None = None


def change_months(case: str, change: Change, sentence: str) -> Apply:
    """Set, add to or scale months of one line in a case; see ``change_cells``."""
    return change_cells(case, (change,), sentence)


def change_cells(case: str, changes: Sequence[Change], sentence: str) -> Apply:
    """Make any number of changes in a case as one edit.

    In the root they change rules, but for cells a step of the root touches: there, as in any other case, they become
    its last steps, so that what is set is what is shown.

    Parameters
    ----------
    case : the active case.
    changes : in the order they apply; the members of each name at most one member per dimension.
    sentence : for the log.

    Raises (when applied)
    ------
    ChangeRefused: a calculated line in the root case; or a caption, total or balance in any.
    InvalidValue: no plan month in the range of one of them.
    """

    def apply(edit: Edit) -> None:
        model = edit.present_model()
        row = edit.rows.case(case)
        by_line: dict[str, list[Change]] = {}
        for change in changes:
            _refuse_history(change, model)
            by_line.setdefault(change.line, []).append(change)
        subjects = [
            _subject(edit, row, edit.rows.target(change.line), change.members, change.first, change.last)
            for change in changes
        ]
        edit.describe("\n".join(dict.fromkeys(subjects)), sentence)
        for name, own in by_line.items():
            target = edit.rows.target(name)
            line = model.line(name)
            # A schedule's calculated line has no formula to edit, and a number of a register is one for all months:
            # some months of them are adjusted, also in the root case.
            is_for_some = (
                line.is_generated and bool(line.dimensions) and not all(_is_for_all(one, model) for one in own)
            )
            if row.parent_id is None and (line.is_assumption or not line.is_generated) and not is_for_some:
                _change_root(edit, row, target, own, model)
            else:
                _change_case(edit, row, target, own, model)

    return apply


def set_rule(line: str, members: MemberKey, rule: Rule, sentence: str) -> Apply:
    """Give an assumption, or one member of it, another entry rule; in the root case, and so for all."""

    def apply(edit: Edit) -> None:
        model = edit.present_model()
        found = model.line(line)
        target = edit.rows.target(line)
        _refuse_calculated(found)
        pairs = zip(found.dimensions, members, strict=False)
        edit.describe(_subject(edit, edit.rows.cases[0], target, pairs), sentence)
        rules = _each_member(found, model)
        for key in rules:
            if not members or key == members:
                rules[key] = rule
        _store_rules(edit, found, target, rules)

    return apply


def set_actuals(line: str, members: MemberKey, amounts: dict[Month, float], sentence: str) -> Apply:
    """Correct actual months of a line, or of one member of it. They hold in every case.

    Months before them that nothing is known of keep what the rule or formula gives.

    Raises (when applied)
    ------
    InvalidValue: a plan month. UnknownName: a line of a schedule.
    """

    def apply(edit: Edit) -> None:
        model = edit.present_model()
        found, row = model.line(line), line_row_of(edit, line)
        timeline = model.timeline
        target, pairs = edit.rows.target(line), list(zip(found.dimensions, members, strict=False))
        months = sorted(amounts)
        edit.describe(_subject(edit, edit.rows.cases[0], target, pairs, months[0], months[-1]), sentence)
        keys = [key for key in model.keys_of(found) if not members or key == members]
        known = {key: found.actuals.get(key, found.actuals.get((), ())) for key in model.keys_of(found)}
        for key in keys:
            given = list(known[key])
            upto = max(timeline.index(month) for month in amounts) + 1
            if upto > timeline.actual_count:
                raise InvalidValue(f"{timeline.months[upto - 1].label} is plan, not history.")
            given += [NOT_GIVEN] * (upto - len(given))
            for month, amount in amounts.items():
                given[timeline.index(month)] = amount
            known[key] = tuple(given)
        documents = [
            {"members": edit.rows.key_ids(found.dimensions, key), "values": without_gaps(values)}
            for key, values in known.items()
            if values
        ]
        edit.update(row, actuals=documents)

    return apply


def back_to_parent(case: str, cells: Iterable[CellsBack], sentence: str) -> Apply:
    """Take what a case itself says of some cells out of it, so that they are again what its parent gives."""

    def apply(edit: Edit) -> None:
        model = edit.present_model()
        row = edit.rows.case(case)
        subjects = []
        for back in cells:
            target = edit.rows.target(back.line)
            line = model.line(back.line)
            pairs = zip(line.dimensions, back.members, strict=False)
            subjects.append(_subject(edit, row, target, pairs, back.first, back.last))
            dimensions = model.dimensions_of(line)
            for existing in _changes_of(edit, row, target):
                change = change_of(existing, edit.rows)
                left = without(change, back.members, back.first, back.last, dimensions)
                if left != (change,):
                    _replace(edit, row, existing, left)
        edit.describe("\n".join(dict.fromkeys(subjects)), sentence)

    return apply


def _is_for_all(change: Change, model: Model) -> bool:
    """Whether a change is about every month of the plan."""
    timeline = model.timeline
    begins = change.first is None or change.first <= timeline.first_plan
    return begins and (change.last is None or change.last >= timeline.end)


def _refuse_history(change: Change, model: Model) -> None:
    span = plan_months(change, model.timeline)
    if span.start >= span.stop:
        raise InvalidValue(
            f"Actual months are history and stay as they are; choose a month from {model.timeline.first_plan.label} on."
        )


def _refuse_calculated(line: Line) -> None:
    if not line.is_assumption:
        raise ChangeRefused(
            line.name,
            f"{line.label} is calculated. In the root case change its formula or the assumptions behind it; "
            "in any other case it can be adjusted directly.",
        )


def _subject(
    edit: Edit,
    case: CaseRow,
    target: Target,
    members: Iterable[tuple[str, str]],
    first: Month | None = None,
    last: Month | None = None,
) -> str:
    """What an edit of cells is about; a rule is about all months."""
    ids = {row.name: int(row.id or 0) for row in edit.rows.dimensions}
    pairs = [(ids[dimension], edit.rows.member_id(dimension, member)) for dimension, member in members]
    return cells_subject(case.id, target, pairs, first, last)


def _change_root(edit: Edit, case: CaseRow, target: Target, changes: Sequence[Change], model: Model) -> None:
    line = model.line(changes[0].line)
    _refuse_calculated(line)
    steps = [c for layer in model.layers_of(case.name) for c in layer.changes if c.line == line.name]
    if steps and not all(change.is_simple for change in (*steps, *changes)):  # cells hang together: it cannot be split
        _change_case(edit, case, target, changes, model)
        return
    keys = model.keys_of(line)
    touched = {key: _months_of(steps, line, key, model) for key in keys}
    rules = _each_member(line, model)
    for key, rule in rules.items():
        here = [change for change in changes if change.is_about(line.dimensions, key)]
        if here:
            own = [touched[each] for each in keys if not key or each == key]
            rules[key] = _changed(rule, model, here, line.is_flow, np.logical_or.reduce(own))
    _store_rules(edit, line, target, rules)
    added = [
        replace(change.starting(first), last=last, members=tuple(zip(line.dimensions, key, strict=True)))
        for change in changes
        for key in keys
        if change.is_about(line.dimensions, key)
        for first, last in _runs(touched[key] & _months_of([change], line, key, model), model)
    ]
    if added:
        _change_case(edit, case, target, added, model)


def _months_of(changes: Iterable[Change], line: Line, key: MemberKey, model: Model) -> NDArray[np.bool_]:
    """The months of one member that any of some changes covers, shape (months,)."""
    found = np.zeros(model.timeline.month_count, dtype=bool)
    for change in changes:
        if change.is_about(line.dimensions, key):
            found[plan_months(change, model.timeline)] = True
    return found


def _runs(months: NDArray[np.bool_], model: Model) -> list[tuple[Month, Month]]:
    """First and last month of each run of months."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], months, [False]]).astype(int)))
    starts, ends = edges[::2].tolist(), (edges[1::2] - 1).tolist()
    return [(model.timeline.months[s], model.timeline.months[e]) for s, e in zip(starts, ends, strict=True)]


def _store_rules(edit: Edit, line: Line, target: Target, rules: dict[MemberKey, Rule]) -> None:
    if line.dimensions and () in line.rules and len(set(rules.values())) == 1:
        rules = {(): next(iter(rules.values()))}
    if target.line_id is not None:
        documents = [
            {"members": edit.rows.key_ids(line.dimensions, key), "rule": write_rule(RULES, rule)}
            for key, rule in rules.items()
        ]
        edit.update(line_row_of(edit, line.name), rules=documents)
    elif line.name == LEVEL:
        frame = edit.rows.frame
        edit.update(frame, liquidity={**frame.liquidity, "level": write_rule(RULES, rules[()])})
    elif target.schedule_id is not None:
        row: ScheduleRow = next(row for row in edit.rows.schedules if row.id == target.schedule_id)
        if line.dimensions:
            _store_register(edit, line, row, str(target.part), rules)
            return
        edit.update(row, settings={**row.settings, str(target.part): write_rule(RULES, rules[()])})


def _store_register(edit: Edit, line: Line, row: ScheduleRow, part: str, rules: Mapping[MemberKey, Rule]) -> None:
    """Numbers of a register are its members' attributes, one for all months."""
    for key, rule in rules.items():
        if rule == line.rules.get(key):
            continue
        document = write_rule(RULES, rule)
        is_kept = isinstance(document, int | float) and set_register_value(edit, row, part, key[0], float(document))
        if not is_kept:
            raise ChangeRefused(line.name, f"{line.label} stands in the register; change it there, or in a case.")


def _each_member(line: Line, model: Model) -> dict[MemberKey, Rule]:
    """The line's rules with one for every member."""
    if not line.dimensions:
        return dict(line.rules)
    nothing = read_rule(RULES, 0)
    return {key: line.rules.get(key, line.rules.get((), nothing)) for key in model.keys_of(line)}


def _changed(rule: Rule, model: Model, changes: Sequence[Change], is_flow: bool, but_for: NDArray[np.bool_]) -> Rule:
    before = rule.values(model.timeline)
    values = before[:, None]
    for change in changes:
        values = changed_months(values, change, model.timeline, is_flow)
    return refit(rule, model.timeline, np.where(but_for, before, values[:, 0]))


def _changes_of(edit: Edit, case: CaseRow, target: Target) -> list[ChangeRow]:
    wanted = (target.line_id, target.schedule_id, target.part)
    return [row for row in edit.rows.changes_of_case(case.id) if (row.line_id, row.schedule_id, row.part) == wanted]


def _change_case(edit: Edit, case: CaseRow, target: Target, changes: Sequence[Change], model: Model) -> None:
    """Append changes as the case's last steps. One that only sets the same cells anew keeps its place and its row."""
    cut = [change.starting(model.timeline.first_plan) for change in changes]
    for change in joined(change for change in cut if _months(change, model)):
        about = _changes_of(edit, case, target)
        covered = [row for row in about if _covers(change, change_of(row, edit.rows), model)]
        kept = [row for row in about if row not in covered]
        covered = [row for row in covered if not _is_touched_after(edit, case, row, kept, model)]
        same = [row for row in covered if _cells_of(change_of(row, edit.rows)) == _cells_of(change)]
        for row in covered:
            if row not in same[-1:]:
                edit.remove(row)
        if same:
            _write_over(edit, case, same[-1], change)
        else:
            _append(edit, case, (change,))


def _months(change: Change, model: Model) -> int:
    span = plan_months(change, model.timeline)
    return int(span.stop - span.start)


def _cells_of(change: Change) -> tuple[object, ...]:
    return change.members, change.first, change.last


def _is_touched_after(edit: Edit, case: CaseRow, row: ChangeRow, others: Iterable[ChangeRow], model: Model) -> bool:
    """Whether a later step of the case reads what a change of it gave: another change, or a move."""
    own = change_of(row, edit.rows)
    later = [change_of(other, edit.rows) for other in others if other.position > row.position]
    for switch in edit.rows.switches_of_case(case.id):
        if switch.position > row.position:
            step = step_of(switch, edit.rows)
            later += [c for layer in model.layers_of(case.name) if layer.step == step for c in layer.changes]
    return any(meet(own, change, model.timeline) for change in later if change.line == own.line)


def _covers(change: Change, known: Change, model: Model) -> bool:
    if change.operation is not Operation.SET or known.operation is not Operation.SET:
        return False
    if change.strength != 1 or change.members != known.members:
        return False
    if isinstance(change.course, ByHand) and None in change.course.amounts:
        return False
    span, covered = plan_months(change, model.timeline), plan_months(known, model.timeline)
    return bool(span.start <= covered.start and covered.stop <= span.stop)


def _append(edit: Edit, case: CaseRow, changes: Iterable[Change]) -> None:
    begin = next_position(edit.rows.steps_of_case(case.id))
    for place, change in enumerate(changes, begin):
        edit.add(change_row(change, place, edit.rows, case_id=case.id))


def _replace(edit: Edit, case: CaseRow, existing: ChangeRow, left: Sequence[Change]) -> None:
    """Put what is left of a change where it stood: the first piece keeps its row, and so whoever drops it by name."""
    if not left:
        edit.remove(existing)
        return
    _write_over(edit, case, existing, left[0])
    for change in left[1:]:
        edit.add(change_row(change, existing.position, edit.rows, case_id=case.id))


def _write_over(edit: Edit, case: CaseRow, existing: ChangeRow, change: Change) -> None:
    """Let a step do something else: it stays the same step, in its place and under its name."""
    named = replace(change, name=change.name or existing.name)
    row = change_row(named, existing.position, edit.rows, case_id=case.id)
    edit.update(existing, **row.model_dump(exclude={"id", "case_id"}))
