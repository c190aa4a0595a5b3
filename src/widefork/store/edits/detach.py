"""Making a schedule's lines ordinary ones, for good: from then on they are the user's to read and change."""

from dataclasses import replace
from typing import Any

from widefork.core.errors import InvalidModel
from widefork.core.finance.schedules import SCHEDULES, named_lines
from widefork.core.finance.schedules.own_terms.schedule import OWN_TERMS, ROLE_KEYS
from widefork.core.finance.statements import CAPTION_BY_NAME
from widefork.core.graph.model import Model, ScheduleSettings
from widefork.core.lines import Line
from widefork.store.edit import Apply, Edit
from widefork.store.edits.rows import named_row, next_position
from widefork.store.edits.sections import add_section
from widefork.store.saving import line_row
from widefork.store.tables import ScheduleRow


def detach_schedule(name: str, sentence: str) -> Apply:
    """Turn the lines a schedule writes into lines of the user's, with the names they have.

    Cases, figures, limits and closings stay about them. What the schedule settled, taxed or stocked stays known under
    terms of one's own of its name.

    Raises (when applied)
    ------
    InvalidModel: lines that a register builds, or terms that are one's own already.
    """

    def apply(edit: Edit) -> None:
        row: ScheduleRow = named_row(edit.rows.schedules, "schedule", name)
        model = edit.present_model()
        given = next(schedule for schedule in model.schedules if schedule.name == name)
        own = [line for line in model.lines if line.source is not None and line.source.schedule == name]
        if row.kind == OWN_TERMS.name:
            raise InvalidModel(f"{row.label} are lines of your own already.", f"schedules/{name}")
        if any(line.is_fixed for line in own):
            raise InvalidModel(
                f"{row.label} is built asset by asset from its register, and stays with it.", f"schedules/{name}"
            )
        section = next(
            found for n in range(1, 100)
            if (found := name if n == 1 else f"{name}_{n}") not in {s.name for s in edit.rows.sections}
        )  # fmt: skip
        add_section(section, row.label, "was a schedule; its lines are yours now", sentence)(edit)
        settings = _roles(given, own, model)
        edit.update(row, kind=OWN_TERMS.name, settings={})
        position = next_position(edit.rows.lines)
        ids: dict[str, int] = {}
        for place, line in enumerate(own):
            made = line_row(replace(line, section=section, source=None), position + place, edit.model_id, edit.rows)
            edit.add(made)
            ids[line.source.part if line.source is not None else ""] = int(made.id or 0)
        by_name = {line.name: line.id for line in edit.rows.lines}
        row = named_row(edit.rows.schedules, "schedule", name)
        edit.update(row, settings={key: [by_name[line] for line in lines] for key, lines in settings.items()})
        _point_at_lines(edit, row, ids)
        edit.describe(f"schedule:{row.id}", sentence)

    return apply


def _roles(given: ScheduleSettings, own: list[Line], model: Model) -> dict[str, list[str]]:
    """The lines the schedule has a role for, and those it writes that post as if they were paid in their month."""
    found: dict[str, list[str]] = {}
    for _, role, names in named_lines(SCHEDULES[given.kind], given):
        found.setdefault(ROLE_KEYS[role], []).extend(names)
    within = {row.name: row.within for row in model.statements.rows}
    for line in own:
        caption = CAPTION_BY_NAME.get(within.get(line.posts_to, line.posts_to))
        if caption is not None and caption.paid_as:
            found.setdefault("settled", []).append(line.name)
    return {key: list(dict.fromkeys(names)) for key, names in found.items()}


def _point_at_lines(edit: Edit, row: ScheduleRow, ids: dict[str, int]) -> None:
    """Let changes, figures, limits and closings be about the lines rather than the schedule's parts."""
    held: list[Any] = [*edit.rows.changes, *edit.rows.figures, *edit.rows.limits, *edit.rows.histories]
    for known in held:
        if known.schedule_id == row.id and known.part in ids:
            edit.update(known, line_id=ids[known.part], schedule_id=None, part=None)
    begins = f"schedule:{row.id}:"

    def key_of(key: str) -> str:
        part = key.removeprefix(begins)
        return f"line:{ids[part]}" if key.startswith(begins) and part in ids else key

    kept = {key_of(key): found for key, found in edit.rows.frame.ranges.items() if not key_of(key).startswith("line:")}
    document = edit.rows.frame.spreads
    drawn = {key_of(key): found for key, found in document.get("lines", {}).items()}
    members = [[key_of(key), *found] for key, *found in document.get("members", ())]
    pairs = [[key_of(one), key_of(other), rho] for one, other, rho in document.get("together", ())]
    spreads = {key: each for key, each in (("lines", drawn), ("members", members), ("together", pairs)) if each}
    edit.update(edit.rows.frame, ranges=kept, spreads=spreads)  # ranges the lines say themselves from now on
    for closing in edit.rows.closings:
        figures = {key_of(key): amount for key, amount in closing.figures.items()}
        notes = {key_of(key): note for key, note in closing.notes.items()}
        edit.update(closing, figures=figures, notes=notes)
