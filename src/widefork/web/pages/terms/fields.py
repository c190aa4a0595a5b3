"""Settings of a schedule as fields of a form, and what was typed into them as settings again."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from werkzeug.datastructures import MultiDict

from widefork.core.finance.schedules import Role, Schedule, Setting, SettingKind
from widefork.core.finance.schedules.book import Book
from widefork.core.graph.model import Model, ScheduleSettings
from widefork.core.lines import Line
from widefork.web.shared.settings import read_setting, setting_text

_RECEIPTS = ("revenue", "other_income")
_COSTS = ("cost_of_sales", "people_costs", "premises_costs", "marketing_costs", "administration_costs")


@dataclass(frozen=True, kw_only=True)
class LineChoice:
    """A line a setting may name. ``taken_by`` : label of another schedule that has it in this role."""

    name: str
    label: str
    is_chosen: bool
    taken_by: str


@dataclass(frozen=True, kw_only=True)
class Field:
    """A setting as its field: ``text`` is what stands in it, ``usual`` what holds where nothing does.

    ``when`` names the choice it depends on, as ``key=word|word``.
    """

    key: str
    label: str
    kind: str
    text: str
    usual: str
    unit: str
    hint: str
    when: str
    is_required: bool
    is_rare: bool
    choices: tuple[tuple[str, str], ...] = ()
    lines: tuple[LineChoice, ...] = ()


def fields_of(schedule: Schedule, given: ScheduleSettings | None, model: Model, book: Book) -> tuple[Field, ...]:
    """Return the fields of a schedule, or of a new one of its kind.

    Parameters
    ----------
    model : as stored, without generated lines.
    """
    settings = given.settings if given is not None else {}
    return tuple(_field(setting, settings, schedule, given, model, book) for setting in schedule.settings)


def _field(
    setting: Setting,
    settings: Mapping[str, Any],
    schedule: Schedule,
    given: ScheduleSettings | None,
    model: Model,
    book: Book,
) -> Field:
    unit = setting.unit.replace("CUR", model.currency)
    is_given = setting.key in settings
    value = settings.get(setting.key)
    return Field(
        key=setting.key,
        label=setting.label,
        kind=setting.kind.name.lower(),
        text=setting_text(setting, value, unit) if is_given else "",
        usual="" if setting.default is None else setting_text(setting, setting.default, unit),
        unit="" if unit.startswith("%") else unit,
        hint=setting.hint,
        when=f"{setting.when[0]}={'|'.join(setting.when[1])}" if setting.when else "",
        is_required=setting.is_required,
        is_rare=setting.is_rare,
        choices=_choices(setting, model),
        lines=_line_choices(setting, value or (), schedule, given, model, book)
        if setting.kind is SettingKind.LINES
        else (),
    )


def _choices(setting: Setting, model: Model) -> tuple[tuple[str, str], ...]:
    if setting.kind is SettingKind.REGISTER:
        return tuple((d.name, d.label or d.name) for d in model.dimensions)
    return setting.choices


def _line_choices(
    setting: Setting, chosen: Any, schedule: Schedule, given: ScheduleSettings | None, model: Model, book: Book
) -> tuple[LineChoice, ...]:
    owners = book.roles[setting.role] if setting.role is not None else {}
    register = given.settings.get("register") if given is not None else None
    found = []
    for line in model.lines:
        is_chosen = line.name in chosen
        if setting.role is None:  # read only, and so by as many as like; over the members of the register
            fits = len(line.dimensions) == 1 and register in (None, line.dimensions[0])
        else:
            fits = _fits(setting.role, line, schedule, model)
        if not is_chosen and not fits:
            continue
        owner = owners.get(line.name)
        taken = owner.label if owner is not None and owner is not given else ""
        found.append(LineChoice(name=line.name, label=line.label, is_chosen=is_chosen, taken_by=taken))
    return tuple(found)


def _fits(role: Role, line: Line, schedule: Schedule, model: Model) -> bool:
    """Whether a line is offered: by what it posts to, or for what is spread, that it posts nowhere."""
    if role in (Role.SPREAD_REVENUE, Role.SPREAD_COST):
        return not line.posts_to and line.unit == model.currency and line.is_flow
    within = {row.name: row.within for row in model.statements.rows}
    caption = within.get(line.posts_to, line.posts_to)
    if role is Role.SALE_TAXED or schedule.name == "receivables":
        return caption in _RECEIPTS or (not line.posts_to and line.unit == model.currency and line.is_flow)
    return caption in _COSTS


def read_settings(
    schedule: Schedule, form: "MultiDict[str, str]", given: Mapping[str, Any], model: Model
) -> dict[str, Any]:
    """Return what a form changed of a schedule's settings; None for what goes back to what is usual.

    Raises
    ------
    InvalidValue: a field that cannot be read; names it.
    """
    changed: dict[str, Any] = {}
    for setting in schedule.settings:
        if setting.kind is SettingKind.LINES:
            if f"has_{setting.key}" not in form:
                continue
            value: Any = form.getlist(setting.key) or None
        elif setting.key not in form:
            continue
        else:
            value = read_setting(setting, form[setting.key], given.get(setting.key), model)
        if value != given.get(setting.key):
            changed[setting.key] = value
    return changed
