"""What a pattern wrote, as one edit: a section with its lines and what they need beside them; and taken away again."""

from collections.abc import Iterable

from widefork.core.axes import Dimension
from widefork.core.errors import InvalidModel
from widefork.core.graph.model import Limit, Profile, ScheduleSettings
from widefork.core.language.parse import parse
from widefork.core.language.syntax import names_in
from widefork.core.lines import Line
from widefork.store.edit import Apply, Edit
from widefork.store.edits.frame import add_dimension, add_profile, remove_dimension, remove_profile
from widefork.store.edits.limits import add_limit
from widefork.store.edits.lines import add_line, drop_line, users_of
from widefork.store.edits.rows import named_row, together
from widefork.store.edits.schedules import add_schedule, drop_schedule
from widefork.store.edits.sections import add_section
from widefork.store.tables import LineRow


def write_lines(
    section: str,
    label: str,
    note: str,
    lines: Iterable[Line],
    profiles: Iterable[Profile],
    schedules: Iterable[ScheduleSettings],
    limits: Iterable[Limit],
    sentence: str,
    dimensions: Iterable[Dimension] = (),
) -> Apply:
    """Add a section with lines, and what they need beside them."""
    steps = [add_section(section, label, note, sentence)]
    steps += [add_dimension(one.name, one.label, one.members, sentence, one.attributes) for one in dimensions]
    steps += [add_profile(one.name, one.label, one.values, sentence) for one in profiles]
    steps += [add_line(line, sentence) for line in lines]
    steps += [add_schedule(one.kind, one.name, one.label, dict(one.settings), sentence) for one in schedules]
    steps += [add_limit(limit, sentence) for limit in limits]
    return together(steps, sentence)


def remove_written(section: str, sentence: str) -> Apply:
    """Remove a section with all its lines, the schedules and profiles named after it, and what was said about them.

    Raises (when applied)
    ------
    InvalidModel: a line, schedule or formula outside needs one of the lines; names some.
    """

    def apply(edit: Edit) -> None:
        row = named_row(edit.rows.sections, "section", section)
        held = [line for line in edit.rows.lines if line.section_id == row.id]
        begins = f"{section}_"
        own = [one.name for one in edit.rows.schedules if one.name.startswith(begins)]
        users = _users_outside(edit, held, own)
        if users:
            raise InvalidModel(
                f"{row.label} is needed by {', '.join(users[:6])}. Change those first.", f"sections/{section}"
            )
        subject = f"section:{row.id}"
        for schedule in [one for one in edit.rows.schedules if one.name in own]:
            drop_schedule(edit, schedule)
        for line in held:
            drop_line(edit, line)
        used = {name for line in edit.rows.lines if line.formula for name in names_in(parse(line.formula))}
        for profile in [one.name for one in edit.rows.profiles if one.name.startswith(begins) and one.name not in used]:
            remove_profile(profile, sentence)(edit)
        for dimension in [one.name for one in edit.rows.dimensions if one.name.startswith(begins)]:
            remove_dimension(dimension, sentence)(edit)
        edit.remove(named_row(edit.rows.sections, "section", section))
        edit.describe(subject, sentence)

    return apply


def _users_outside(edit: Edit, held: list[LineRow], own: list[str]) -> list[str]:
    """Labels of what stands outside and needs a line of the section, or one its schedules write."""
    inside = {line.label for line in held} | {one.label for one in edit.rows.schedules if one.name in own}
    found = [user for line in held for user in users_of(edit, line) if user not in inside]
    held_ids = {line.id for line in held}
    for line in edit.rows.lines:
        if line.id not in held_ids and line.formula is not None:
            needs = names_in(parse(line.formula))
            if any(name.startswith(f"{schedule}_") for name in needs for schedule in own):
                found.append(line.label)
    return list(dict.fromkeys(found))
