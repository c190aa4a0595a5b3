"""Edits of lines themselves: new, renamed, moved, copied, gone, calculated or given."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from widefork.core.errors import ChangeRefused, InvalidModel
from widefork.core.finance.schedules import SCHEDULES, SettingKind
from widefork.core.language.parse import parse
from widefork.core.language.rename import rename_in_formula
from widefork.core.language.syntax import names_in
from widefork.core.lines import Line, MemberKey
from widefork.core.look import PlausibleRange
from widefork.core.rules import RULES, read_rule, refit, write_rule
from widefork.store.edit import Apply, Edit
from widefork.store.edits.frame import change_model
from widefork.store.edits.rows import line_row_of, named_row, next_position, refuse_taken, swap_positions, together
from widefork.store.loading import ranges_of
from widefork.store.saving import line_row, range_document, ranges_document
from widefork.store.tables import LineRow


def set_formula(line: str, text: str, sentence: str) -> Apply:
    """Give a calculated line another formula."""

    def apply(edit: Edit) -> None:
        row = line_row_of(edit, line)
        if row.formula is None:
            raise ChangeRefused(line, f"{row.label} is an assumption; its values are given, not calculated.")
        edit.describe(f"line:{row.id}|formula", sentence)
        if row.formula != text.strip():
            edit.update(row, formula=text.strip())

    return apply


def make_calculated(line: str, text: str, sentence: str) -> Apply:
    """Turn an assumption into a calculated line. What cases changed of it stays, on top of the formula."""

    def apply(edit: Edit) -> None:
        row = line_row_of(edit, line)
        edit.describe(f"line:{row.id}|formula", sentence)
        edit.update(row, formula=text.strip(), rules=[])

    return apply


def make_assumption(line: str, values: dict[MemberKey, Any], sentence: str) -> Apply:
    """Turn a calculated line into an assumption that says what its formula gave.

    ``values`` : by member key, shape (months,), in the line's unit.
    """

    def apply(edit: Edit) -> None:
        model = edit.present_model()
        row, found = line_row_of(edit, line), model.line(line)
        nothing = read_rule(RULES, 0)
        rules = {key: refit(nothing, model.timeline, np.asarray(months)) for key, months in values.items()}
        edit.describe(f"line:{row.id}|formula", sentence)
        documents = [
            {"members": edit.rows.key_ids(found.dimensions, key), "rule": write_rule(RULES, rule)}
            for key, rule in rules.items()
        ]
        edit.update(row, formula=None, rules=documents, allow_loop=False)

    return apply


def add_line(line: Line, sentence: str, behind: str = "") -> Apply:
    """Add a line behind another of its section, or at the section's end."""

    def apply(edit: Edit) -> None:
        refuse_taken(edit.rows.lines, "line", line.name, f"lines/{line.name}")
        named_row(edit.rows.sections, "section", line.section)
        edit.describe(f"line:{line.name}", sentence)
        position = next_position(edit.rows.lines)
        if behind:
            position = line_row_of(edit, behind).position + 1
            for later in edit.rows.lines:
                if later.position >= position:
                    edit.update(later, position=later.position + 1)
        edit.add(line_row(line, position, edit.model_id, edit.rows))

    return apply


def duplicate_line(line: str, name: str, label: str, sentence: str) -> Apply:
    """Copy a line under another name, behind it. Changes of cases are not copied."""

    def apply(edit: Edit) -> None:
        found = edit.present_model().line(line)
        line_row_of(edit, line)
        text = rename_in_formula(found.formula, line, name) if found.formula is not None else None
        add_line(replace(found, name=name, label=label, formula=text), sentence, line)(edit)

    return apply


def change_line(line: str, sentence: str, section: str = "", **values: Any) -> Apply:
    """Change columns of a line (label, unit, note, look, plausible, ...), and the section it stands in."""

    def apply(edit: Edit) -> None:
        row = line_row_of(edit, line)
        edit.describe(f"line:{row.id}|{','.join(sorted(values)) or 'section'}", sentence)
        target = named_row(edit.rows.sections, "section", section) if section else None
        if target is not None and target.id != row.section_id:
            values.update(section_id=target.id, position=next_position(edit.rows.lines))
        edit.update(row, **values)

    return apply


def set_ranges(ranges: Mapping[str, PlausibleRange | None], sentence: str) -> Apply:
    """Say between what several lines may plausibly lie; None takes a range away."""

    def apply(edit: Edit) -> None:
        own = {row.name for row in edit.rows.lines}
        steps = [change_line(n, "", plausible=range_document(found)) for n, found in ranges.items() if n in own]
        written = {name: found for name, found in ranges.items() if name not in own}
        if written:
            known = ranges_of(edit.rows.frame.ranges, edit.rows) | written
            kept = {name: found for name, found in known.items() if found is not None}
            steps.append(change_model(sentence, ranges=ranges_document(kept, edit.rows)))
        together(steps, sentence)(edit)

    return apply


def move_line(line: str, by: int, sentence: str) -> Apply:
    """Move a line one place up (-1) or down (+1) within its section."""

    def apply(edit: Edit) -> None:
        row = line_row_of(edit, line)
        edit.describe(f"line:{row.id}|order", sentence)
        beside = [other for other in edit.rows.lines if other.section_id == row.section_id]
        swap_positions(edit, beside, row, by)

    return apply


def rename_line(old: str, new: str, sentence: str) -> Apply:
    """Rename a line; every formula that uses it follows, and so do ratios that roll up by it."""

    def apply(edit: Edit) -> None:
        row = line_row_of(edit, old)
        refuse_taken(edit.rows.lines, "line", new, f"lines/{old}")
        edit.describe(f"line:{row.id}|name", sentence)
        edit.update(row, name=new)
        for other in edit.rows.lines:
            renewed: dict[str, Any] = {}
            if other.formula is not None:
                formula = rename_in_formula(other.formula, old, new)
                renewed |= {"formula": formula} if formula != other.formula else {}
            if old in other.rollup.values():
                renewed["rollup"] = {key: new if value == old else value for key, value in other.rollup.items()}
            if renewed:
                edit.update(other, **renewed)

    return apply


def remove_line(line: str, sentence: str) -> Apply:
    """Remove a line, and with it what cases and moves changed of it and the figures on it.

    Raises (when applied)
    ------
    InvalidModel: a formula, a ratio or a schedule needs it; names them.
    """

    def apply(edit: Edit) -> None:
        row = line_row_of(edit, line)
        users = users_of(edit, row)
        if users:
            raise InvalidModel(
                f"{row.label} is needed by {', '.join(users[:6])}"
                f"{f' and {len(users) - 6} more' if len(users) > 6 else ''}. Change those first.",
                f"lines/{line}",
            )
        edit.describe(f"line:{row.id}", sentence)
        drop_line(edit, row)

    return apply


def drop_line(edit: Edit, row: LineRow) -> None:
    """Remove a line that nothing needs, with what cases and moves changed of it, its history and the figures on it."""
    line = row.name
    settled = edit.rows.target(f"settled_{line}").part
    about: list[Any] = [*edit.rows.changes, *edit.rows.figures, *edit.rows.limits, *edit.rows.histories]
    for kept in about:
        if kept.line_id == row.id or kept.part == settled:
            edit.remove(kept)
    edit.remove(row)


def users_of(edit: Edit, row: LineRow) -> list[str]:
    """Return labels of what cannot be without a line."""
    found = []
    for other in edit.rows.lines:
        needs = names_in(parse(other.formula)) if other.formula is not None else ()
        if other.id != row.id and (row.name in needs or row.name in other.rollup.values()):
            found.append(other.label)
    for schedule in edit.rows.schedules:
        lists = [s.key for s in SCHEDULES[schedule.kind].settings if s.kind is SettingKind.LINES]
        if any(row.id in schedule.settings.get(key, []) for key in lists):
            found.append(schedule.label)
    return found
