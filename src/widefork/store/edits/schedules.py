"""Edits of schedules: what is asked of them; their lines follow."""

from collections.abc import Mapping
from typing import Any

from widefork.core.changes import Case, Move
from widefork.core.errors import InvalidModel
from widefork.core.finance.schedules import SCHEDULES, SettingKind
from widefork.core.language.parse import parse
from widefork.core.language.syntax import names_in
from widefork.store.edit import Apply, Edit
from widefork.store.edits.rows import named_row, next_position, refuse_taken
from widefork.store.tables import MemberRow, ScheduleRow
from widefork.store.targets import line_settings


def add_schedule(kind: str, name: str, label: str, settings: dict[str, Any], sentence: str) -> Apply:
    """Add a schedule behind the others. Settings as in the open text format, lines by name."""

    def apply(edit: Edit) -> None:
        refuse_taken(edit.rows.schedules, "schedule", name, f"schedules/{name}")
        clashing = [line.label for line in edit.rows.lines if line.name.startswith(f"{name}_")]
        if clashing:
            raise InvalidModel(
                f"{clashing[0]} has a name that begins with “{name}”, as the schedule's own lines would; give the "
                "schedule another name.",
                f"schedules/{name}",
            )
        edit.describe(f"schedule:{name}", sentence)
        stored = _stored(edit, kind, settings)
        position = next_position(edit.rows.schedules)
        edit.add(
            ScheduleRow(model_id=edit.model_id, position=position, kind=kind, name=name, label=label, settings=stored)
        )
        _refuse_lost(edit)

    return apply


def change_schedule(name: str, sentence: str, label: str = "", settings: Mapping[str, Any] | None = None) -> Apply:
    """Change what a schedule is called or asked; a setting given as None goes back to what is usual."""

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.schedules, "schedule", name)
        changed = settings or {}
        edit.describe("\n".join(f"schedule:{row.id}:{key}" for key in changed) or f"schedule:{row.id}|label", sentence)
        if label:
            edit.update(row, label=label)
        if changed:
            given = _stored(edit, row.kind, {key: value for key, value in changed.items() if value is not None})
            kept = {key: value for key, value in row.settings.items() if key not in changed}
            edit.update(row, settings={**kept, **given})
            _refuse_lost(edit)

    return apply


def remove_schedule(name: str, sentence: str) -> Apply:
    """Remove a schedule with its lines and what cases and moves changed of them.

    Raises (when applied)
    ------
    InvalidModel: a formula, a figure or a limit needs one of its lines; names some.
    """

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.schedules, "schedule", name)
        model = edit.present_model()
        own = {line.name for line in model.lines if line.source is not None and line.source.schedule == name}
        users = [line.label for line in edit.rows.lines if line.formula and own & set(names_in(parse(line.formula)))]
        kept: list[Any] = [*edit.rows.figures, *edit.rows.limits]
        users += [figure.label for figure in kept if figure.schedule_id == row.id or _is_settlement(figure, row)]
        if users:
            raise InvalidModel(
                f"{row.label} is needed by {', '.join(users[:6])}. Change those first.", f"schedules/{name}"
            )
        edit.describe(f"schedule:{row.id}", sentence)
        drop_schedule(edit, row)
        _refuse_lost(edit)

    return apply


def drop_schedule(edit: Edit, row: ScheduleRow) -> None:
    """Remove a schedule's row, and the changes and histories of its lines; who else needs those was asked before."""
    settled = f"settled_schedule:{row.id}:"
    for change in edit.rows.changes:
        if change.schedule_id == row.id or (change.part or "").startswith(settled):
            edit.remove(change)
    for history in edit.rows.histories:
        if history.schedule_id == row.id or (history.part or "").startswith(settled):
            edit.remove(history)
    edit.remove(row)


def move_schedule(name: str, by: int, sentence: str) -> Apply:
    """Move a schedule one place up (-1) or down (+1) among those of its part of the page."""

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.schedules, "schedule", name)
        edit.describe(f"schedule:{row.id}|order", sentence)
        group = SCHEDULES[row.kind].group
        beside = [other for other in edit.rows.schedules if SCHEDULES[other.kind].group == group]
        place = next(i for i, other in enumerate(beside) if other.id == row.id) + by
        if 0 <= place < len(beside):
            other = beside[place]
            mine, theirs = row.position, other.position
            edit.update(row, position=theirs)
            edit.update(other, position=mine)

    return apply


def set_register_value(edit: Edit, schedule: ScheduleRow, part: str, member: str, value: float) -> bool:
    """Write a number of a register's line where it belongs: the member's attribute. False where there is none."""
    kind = SCHEDULES[schedule.kind]
    register, attribute = kind.attribute_of.get(part, ("register", part))
    known = kind.attribute_of.values() if part in kind.attribute_of else [
        ("register", a.key) for a in kind.attributes if a.kind is SettingKind.AMOUNT
    ]  # fmt: skip
    if (register, attribute) not in known:
        return False
    dimension = next(row for row in edit.rows.dimensions if row.name == schedule.settings[register])
    rows: list[MemberRow] = [r for r in edit.rows.members if r.dimension_id == dimension.id and r.name == member]
    if attribute == "cost" and rows[0].attributes.get("book_value"):
        attribute = "book_value"
    edit.update(rows[0], attributes={**rows[0].attributes, attribute: value})
    return True


def _is_settlement(figure: Any, row: ScheduleRow) -> bool:
    """Whether a figure or limit is on what pays for a schedule's purchases."""
    return str(figure.part or "").startswith(f"settled_schedule:{row.id}:")


def _stored(edit: Edit, kind: str, settings: dict[str, Any]) -> dict[str, Any]:
    """Settings with their lines by id."""
    ids = {line.name: line.id for line in edit.rows.lines}
    lists = line_settings(kind)
    unknown = [name for key in lists & set(settings) for name in settings[key] if name not in ids]
    if unknown:
        raise InvalidModel(f"There is no line of your own called {unknown[0]}.", f"schedules/{kind}")
    return {key: [ids[name] for name in value] if key in lists else value for key, value in settings.items()}


def _refuse_lost(edit: Edit) -> None:
    """Refuse where a change, figure or limit would be about a line that is no longer written."""
    model = edit.present_model()
    known = model.line_by_name
    holders: list[Case | Move] = [*model.family.cases, *model.moves]
    about = [(f"{holder.label} changes", change.line) for holder in holders for change in holder.changes]
    about += [(f"{figure.label} reads", figure.line) for figure in model.figures]
    about += [(f"{limit.label} reads", limit.line) for limit in model.limits]
    for who, line in about:
        if line not in known:
            raise InvalidModel(f"{who} {line}, which would no longer be there. Take that back first.", f"lines/{line}")
