"""Edits of a model's frame: its name and months, dimensions and members, profiles, flags and counters."""

from collections.abc import Mapping
from typing import Any

from widefork.core.axes import Month, Timeline
from widefork.core.errors import InvalidModel
from widefork.core.finance.schedules import SCHEDULES, SettingKind
from widefork.core.flags import Flag
from widefork.core.language.parse import parse
from widefork.core.language.rename import rename_in_formula, rename_member_in_formula
from widefork.core.language.syntax import At, names_in, walk
from widefork.store.edit import Apply, Edit
from widefork.store.edits.rows import named_row, next_position, refuse_taken, swap_positions
from widefork.store.saving import flag_columns
from widefork.store.tables import (
    DimensionRow,
    FlagRow,
    MemberRow,
    ProfileRow,
    ScheduleRow,
)
from widefork.store.targets import text_of


def change_model(sentence: str, **values: Any) -> Apply:
    """Change the model's name, currency or opening balances."""

    def apply(edit: Edit) -> None:
        edit.describe(f"model|{','.join(sorted(values))}", sentence)
        edit.update(edit.rows.frame, **values)

    return apply


def change_timeline(timeline: Timeline, sentence: str) -> Apply:
    """Give the model other months: a longer or shorter horizon, another boundary of actuals or fiscal year.

    Nothing typed is lost: rules and changes keep their dates, also those beyond the horizon.

    Raises (when applied)
    ------
    InvalidModel: another start while actuals or history stand at the old one.
    """

    def apply(edit: Edit) -> None:
        row = edit.rows.frame
        if str(timeline.start) != row.start:
            kept = [line.label for line in edit.rows.lines if line.actuals or line.history]
            if kept:
                raise InvalidModel(
                    f"{kept[0]} has actuals or history that begin in {Month.parse(row.start).label}, so the start "
                    "month cannot move. The last month and the boundary of actuals can.",
                    "timeline/start",
                )
        edit.describe("model|timeline", sentence)
        edit.update(
            row,
            start=str(timeline.start),
            month_count=timeline.month_count,
            fiscal_year_start=timeline.fiscal_year_start,
            last_actual=text_of(timeline.last_actual),
        )

    return apply


def add_dimension(
    name: str,
    label: str,
    members: tuple[str, ...],
    sentence: str,
    attributes: Mapping[str, Mapping[str, Any]] | None = None,
) -> Apply:
    """Add a dimension with its members and what is known of each; they need to be different, and at least one."""

    def apply(edit: Edit) -> None:
        refuse_taken(edit.rows.dimensions, "dimension", name, f"dimensions/{name}")
        edit.describe(f"dimension:{name}", sentence)
        position = next_position(edit.rows.dimensions)
        row = DimensionRow(model_id=edit.model_id, position=position, name=name, label=label)
        edit.add(row)
        for place, member in enumerate(members):
            known = dict((attributes or {}).get(member, {}))
            edit.add(MemberRow(dimension_id=int(row.id or 0), position=place, name=member, attributes=known))

    return apply


def change_dimension(name: str, sentence: str, new_name: str = "", label: str | None = None) -> Apply:
    """Rename a dimension; formulas and the attributes that map to it follow."""

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.dimensions, "dimension", name)
        edit.describe(f"dimension:{row.id}", sentence)
        if label is not None:
            edit.update(row, label=label)
        if not new_name or new_name == name:
            return
        refuse_taken(edit.rows.dimensions, "dimension", new_name, f"dimensions/{name}")
        edit.update(row, name=new_name)
        for line in edit.rows.lines:
            formula = line.formula and rename_in_formula(line.formula, name, new_name)
            if formula != line.formula:
                edit.update(line, formula=formula)
        for schedule in edit.rows.schedules:
            renamed = {key: new_name for key in _registers(schedule) if schedule.settings.get(key) == name}
            if renamed:
                edit.update(schedule, settings={**schedule.settings, **renamed})
        for member in edit.rows.members:
            if name in member.attributes:
                edit.update(member, attributes={new_name if k == name else k: v for k, v in member.attributes.items()})

    return apply


def remove_dimension(name: str, sentence: str) -> Apply:
    """Remove a dimension that no line is spread over.

    Raises (when applied)
    ------
    InvalidModel: a line is spread over it; names some.
    """

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.dimensions, "dimension", name)
        spread = [line.label for line in edit.rows.lines if row.id in line.dimensions]
        spread += [s.label for s in edit.rows.schedules if name in [s.settings.get(key) for key in _registers(s)]]
        if spread:
            raise InvalidModel(
                f"{len(spread)} lines are spread over {row.label or name}, such as {spread[0]}. "
                "Delete them or give them other dimensions first.",
                f"dimensions/{name}",
            )
        edit.describe(f"dimension:{row.id}", sentence)
        for member in edit.rows.members:
            if member.dimension_id == row.id:
                edit.remove(member)
        edit.remove(row)

    return apply


def _registers(schedule: ScheduleRow) -> list[str]:
    """Keys of a schedule's settings that name a register."""
    return [s.key for s in SCHEDULES[schedule.kind].settings if s.kind is SettingKind.REGISTER]


def _member_row(edit: Edit, dimension: str, member: str) -> MemberRow:
    named_row(edit.rows.dimensions, "dimension", dimension)
    found = edit.rows.member_id(dimension, member)
    return next(row for row in edit.rows.members if row.id == found)


def add_member(dimension: str, member: str, sentence: str, attributes: dict[str, str | float] | None = None) -> Apply:
    """Add a member behind the others. Assumptions by member are 0 for it until told otherwise."""

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.dimensions, "dimension", dimension)
        beside = [other for other in edit.rows.members if other.dimension_id == row.id]
        refuse_taken(beside, f"member of {dimension}", member, f"dimensions/{dimension}")
        edit.describe(f"dimension:{row.id}|{member}", sentence)
        known = dict(attributes or {})
        edit.add(MemberRow(dimension_id=row.id, position=next_position(beside), name=member, attributes=known))

    return apply


def change_member(
    dimension: str, member: str, sentence: str, new_name: str = "", attributes: dict[str, str | float] | None = None
) -> Apply:
    """Rename a member, which formulas and mappings follow, or give it other attributes."""

    def apply(edit: Edit) -> None:
        row = _member_row(edit, dimension, member)
        edit.describe(f"member:{row.id}", sentence)
        if attributes is not None:
            edit.update(row, attributes=attributes)
        if not new_name or new_name == member:
            return
        beside = [other for other in edit.rows.members if other.dimension_id == row.dimension_id]
        refuse_taken(beside, f"member of {dimension}", new_name, f"dimensions/{dimension}")
        edit.update(row, name=new_name)
        spread = {line.name for line in edit.rows.lines if row.dimension_id in line.dimensions}
        for line in edit.rows.lines:
            formula = line.formula and rename_member_in_formula(line.formula, spread, member, new_name)
            if formula != line.formula:
                edit.update(line, formula=formula)
        for other in edit.rows.members:
            if other.attributes.get(dimension) == member:
                edit.update(other, attributes={**other.attributes, dimension: new_name})

    return apply


def move_member(dimension: str, member: str, by: int, sentence: str) -> Apply:
    """Move a member one place up (-1) or down (+1)."""

    def apply(edit: Edit) -> None:
        row = _member_row(edit, dimension, member)
        edit.describe(f"dimension:{row.dimension_id}|order", sentence)
        beside = [other for other in edit.rows.members if other.dimension_id == row.dimension_id]
        swap_positions(edit, beside, row, by)

    return apply


def remove_member(dimension: str, member: str, sentence: str) -> Apply:
    """Remove a member with the rules, actuals, changes and histories that are about it alone.

    Raises (when applied)
    ------
    InvalidModel: the last member, or one that a formula, figure or mapping names.
    """

    def apply(edit: Edit) -> None:
        row = _member_row(edit, dimension, member)
        beside = [other for other in edit.rows.members if other.dimension_id == row.dimension_id]
        if len(beside) == 1:
            raise InvalidModel(f"{member} is the last member of {dimension}; remove the dimension instead.", dimension)
        naming = _who_names(edit, row, dimension)
        if naming:
            raise InvalidModel(f"{member} is named by {', '.join(naming[:6])}. Change that first.", dimension)
        edit.describe(f"dimension:{row.dimension_id}|{member}", sentence)
        for line in edit.rows.lines:
            if row.dimension_id in line.dimensions:
                without = {
                    "rules": [entry for entry in line.rules if row.id not in entry["members"]],
                    "actuals": [entry for entry in line.actuals if row.id not in entry["members"]],
                    "absent": [ids for ids in line.absent if row.id not in ids],
                }
                edit.update(line, **without)
        for history in edit.rows.histories:
            if row.id in history.members:
                edit.remove(history)
        for change in edit.rows.changes:
            if row.id in change.members:
                siblings = {other.id for other in beside}
                left = [member_id for member_id in change.members if member_id != row.id]
                if siblings & set(left):
                    edit.update(change, members=left)
                else:
                    edit.remove(change)
        edit.remove(row)

    return apply


def _who_names(edit: Edit, row: MemberRow, dimension: str) -> list[str]:
    spread = {line.name for line in edit.rows.lines if row.dimension_id in line.dimensions}
    found = [
        line.label
        for line in edit.rows.lines
        if line.formula is not None
        and any(
            isinstance(piece, At) and piece.member == row.name and piece.name in spread
            for piece in walk(parse(line.formula))
        )
    ]
    found += [figure.label for figure in edit.rows.figures if row.id in figure.members]
    return found + [other.name for other in edit.rows.members if other.attributes.get(dimension) == row.name]


def add_profile(name: str, label: str, amounts: tuple[float, ...], sentence: str) -> Apply:
    """Add a curve by age."""

    def apply(edit: Edit) -> None:
        refuse_taken(edit.rows.profiles, "profile", name, f"profiles/{name}")
        edit.describe(f"profile:{name}", sentence)
        position = next_position(edit.rows.profiles)
        row = ProfileRow(model_id=edit.model_id, position=position, name=name, label=label, amounts=list(amounts))
        edit.add(row)

    return apply


def change_profile(name: str, sentence: str, **values: Any) -> Apply:
    """Change a profile's label or amounts."""

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.profiles, "profile", name)
        edit.describe(f"profile:{row.id}", sentence)
        edit.update(row, **values)

    return apply


def remove_profile(name: str, sentence: str) -> Apply:
    """Remove a profile no formula uses; raises InvalidModel naming those that do."""

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.profiles, "profile", name)
        _refuse_used(edit, name, row.label)
        edit.describe(f"profile:{row.id}", sentence)
        edit.remove(row)

    return apply


def add_flag(flag: Flag, sentence: str) -> Apply:
    """Add a flag or counter."""

    def apply(edit: Edit) -> None:
        refuse_taken(edit.rows.flags, "flag", flag.name, f"flags/{flag.name}")
        edit.describe(f"flag:{flag.name}", sentence)
        position = next_position(edit.rows.flags)
        edit.add(FlagRow(model_id=edit.model_id, position=position, name=flag.name, **flag_columns(flag)))

    return apply


def change_flag(flag: Flag, sentence: str) -> Apply:
    """Change what a flag or counter marks; it is found by its name."""

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.flags, "flag", flag.name)
        edit.describe(f"flag:{row.id}", sentence)
        edit.update(row, **flag_columns(flag))

    return apply


def remove_flag(name: str, sentence: str) -> Apply:
    """Remove a flag no formula uses; raises InvalidModel naming those that do."""

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.flags, "flag", name)
        _refuse_used(edit, name, row.label)
        edit.describe(f"flag:{row.id}", sentence)
        edit.remove(row)

    return apply


def _refuse_used(edit: Edit, name: str, label: str) -> None:
    lines = edit.present_model().lines  # also those that schedules write
    users = [line.label for line in lines if line.formula and name in names_in(parse(line.formula))]
    if users:
        raise InvalidModel(f"{label} is used by {', '.join(users[:6])}. Change those formulas first.", name)
