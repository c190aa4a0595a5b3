"""The edits a person can make. Each returns what ``ModelStore.edit`` calls inside its transaction.

What is edited in the root case changes the entry rule itself, and so flows into every case; in any other case it
becomes a change of that case alone.
"""

from collections.abc import Callable
from dataclasses import replace
from itertools import product
from typing import Any

from sqlmodel import col, select

from widefork.core.axes import Month
from widefork.core.changes import Change, Operation, changed_months, plan_months
from widefork.core.errors import ChangeRefused, InvalidModel, InvalidValue, UnknownName
from widefork.core.figures import Figure
from widefork.core.finance.assemble import assemble
from widefork.core.graph.model import Model
from widefork.core.language.rename import rename_in_formula
from widefork.core.lines import Line, MemberKey
from widefork.core.rules import RULES, Rule, read_rule, refit, write_rule
from widefork.store.loading import load_model
from widefork.store.model_store import Edit
from widefork.store.names import Target
from widefork.store.saving import change_row, figure_row
from widefork.store.tables import CaseRow, ChangeRow, LineRow, ScheduleRow

Apply = Callable[[Edit], None]


def change_months(case: str, change: Change, sentence: str) -> Apply:
    """Set, add to or scale months of a line in a case.

    Parameters
    ----------
    case : the active case. change : what to do; its members name at most one member per dimension.
    sentence : for the log.

    Raises (when applied)
    ------
    ChangeRefused: a calculated line in the root case; or a caption, total or balance in any.
    InvalidValue: no plan month in the range.
    """

    def apply(edit: Edit) -> None:
        model = assemble(load_model(edit.session, edit.model_id))
        line = model.line(change.line)
        span = plan_months(change, model.timeline)
        if span.start >= span.stop:
            raise InvalidValue(
                "Actual months are history and stay as they are; "
                f"choose a month from {model.timeline.first_plan.label} on."
            )
        row = edit.names.case(case)
        target = edit.names.target(change.line)
        edit.describe(_subject(row, target, change), sentence)
        if row.parent_id is None:
            _change_rule(edit, model, line, target, change)
        else:
            _change_case(edit, row, target, change, model)

    return apply


def back_to_parent(case: str, line: str, members: MemberKey, sentence: str) -> Apply:
    """Drop a case's own changes of a line, or of one member of it."""

    def apply(edit: Edit) -> None:
        row = edit.names.case(case)
        target = edit.names.target(line)
        edit.describe(f"{row.id}|{target.key}|{'/'.join(members)}", sentence)
        for existing in _changes_of(edit, row, target):
            named = [edit.names.member(member_id)[1] for member_id in existing.members]
            if not members or not named or set(members) & set(named):
                edit.remove(existing)

    return apply


def set_formula(line: str, text: str, sentence: str) -> Apply:
    """Give a calculated line another formula."""

    def apply(edit: Edit) -> None:
        row = _line_row(edit, line)
        if row.formula is None:
            raise ChangeRefused(line, f"{row.label} is an assumption; its values are given, not calculated.")
        edit.describe(f"line:{row.id}|formula", sentence)
        if row.formula != text.strip():
            edit.update(row, formula=text.strip())

    return apply


def rename_line(old: str, new: str, sentence: str) -> Apply:
    """Rename a line; every formula that uses it follows, and so do ratios that roll up by it."""

    def apply(edit: Edit) -> None:
        row = _line_row(edit, old)
        if any(other.name == new for other in edit.names.lines):
            raise InvalidModel(f"There is already a line {new}; names are used once.", f"lines/{old}")
        edit.describe(f"line:{row.id}|name", sentence)
        edit.update(row, name=new)
        for other in edit.names.lines:
            renewed: dict[str, Any] = {}
            if other.formula is not None:
                formula = rename_in_formula(other.formula, old, new)
                renewed |= {"formula": formula} if formula != other.formula else {}
            if old in other.rollup.values():
                renewed["rollup"] = {key: new if value == old else value for key, value in other.rollup.items()}
            if renewed:
                edit.update(other, **renewed)

    return apply


def add_figure(figure: Figure, sentence: str) -> Apply:
    """Store a new figure behind the others."""

    def apply(edit: Edit) -> None:
        model = assemble(load_model(edit.session, edit.model_id))
        position = max((row.position for row in edit.names.figures), default=-1) + 1
        edit.describe(f"figure:{figure.name}", sentence)
        edit.add(figure_row(figure, position, model, edit.names))

    return apply


def change_figure(name: str, sentence: str, **values: Any) -> Apply:
    """Change columns of a stored figure, such as whether it is pinned."""

    def apply(edit: Edit) -> None:
        row = _named(edit.names.figures, "figure", name)
        edit.describe(f"figure:{name}", sentence)
        edit.update(row, **values)

    return apply


def remove_figure(name: str, sentence: str) -> Apply:
    """Remove a stored figure."""

    def apply(edit: Edit) -> None:
        edit.describe(f"figure:{name}", sentence)
        edit.remove(_named(edit.names.figures, "figure", name))

    return apply


def _named(rows: list[Any], kind: str, name: str) -> Any:
    for row in rows:
        if row.name == name:
            return row
    raise UnknownName(kind, name, [row.name for row in rows])


def _line_row(edit: Edit, name: str) -> LineRow:
    row: LineRow = _named(edit.names.lines, "line of your own", name)
    return row


def _subject(case: CaseRow, target: Target, change: Change) -> str:
    members = "/".join(sorted(member for _, member in change.members))
    return f"{case.id}|{target.key}|{members}"


def _change_rule(edit: Edit, model: Model, line: Line, target: Target, change: Change) -> None:
    if not line.is_assumption:
        raise ChangeRefused(
            line.name,
            f"{line.label} is calculated. In the root case change its formula or the assumptions behind it; "
            "in any other case it can be adjusted directly.",
        )
    rules = _each_member(line, model)
    here = dict(change.members)
    for key, rule in rules.items():
        own = dict(zip(line.dimensions, key, strict=False))
        if all(own.get(dimension) == member for dimension, member in here.items()):
            rules[key] = _changed(rule, model, change)
    if len(line.dimensions) and () in line.rules and len(set(rules.values())) == 1:
        rules = {(): next(iter(rules.values()))}
    if target.line_id is not None:
        documents = [
            {"members": edit.names.key_ids(line.dimensions, key), "rule": write_rule(RULES, rule)}
            for key, rule in rules.items()
        ]
        edit.update(_line_row(edit, line.name), rules=documents)
    elif target.schedule_id is not None:
        row = next(row for row in edit.names.schedules if row.id == target.schedule_id)
        _change_setting(edit, row, str(target.part), rules[()])


def _change_setting(edit: Edit, row: ScheduleRow, key: str, rule: Rule) -> None:
    edit.update(row, settings={**row.settings, key: write_rule(RULES, rule)})


def _each_member(line: Line, model: Model) -> dict[MemberKey, Rule]:
    """The line's rules with one for every member."""
    if not line.dimensions:
        return dict(line.rules)
    keys = product(*(dimension.members for dimension in model.dimensions_of(line)))
    nothing = read_rule(RULES, 0)
    return {key: line.rules.get(key, line.rules.get((), nothing)) for key in keys}


def _changed(rule: Rule, model: Model, change: Change) -> Rule:
    values = rule.values(model.timeline)[:, None]
    is_flow = model.line(change.line).is_flow
    return refit(rule, model.timeline, changed_months(values, change, model.timeline, is_flow)[:, 0])


def _changes_of(edit: Edit, case: CaseRow, target: Target) -> list[ChangeRow]:
    query = select(ChangeRow).where(ChangeRow.case_id == case.id).order_by(col(ChangeRow.position))
    wanted = (target.line_id, target.schedule_id, target.part)
    return [row for row in edit.session.exec(query).all() if (row.line_id, row.schedule_id, row.part) == wanted]


def _change_case(edit: Edit, case: CaseRow, target: Target, change: Change, model: Model) -> None:
    """Append a change; one it covers entirely, that sets the same cells, goes."""
    span = plan_months(change, model.timeline)
    added = change_row(_cut_to_plan(change, model), 0, edit.names, case_id=case.id)
    if change.operation is Operation.SET:
        for existing in _changes_of(edit, case, target):
            first = Month.parse(existing.first) if existing.first else None
            last = Month.parse(existing.last) if existing.last else None
            covered = model.timeline.span(first, last)
            same = existing.members == added.members and existing.operation == Operation.SET.value
            if same and span.start <= covered.start and covered.stop <= span.stop:
                edit.remove(existing)
    query = select(ChangeRow).where(ChangeRow.case_id == case.id)
    added.position = max((row.position for row in edit.session.exec(query).all()), default=-1) + 1
    edit.add(added)


def _cut_to_plan(change: Change, model: Model) -> Change:
    first = max(change.first or model.timeline.first_plan, model.timeline.first_plan)
    return replace(change, first=first)
