"""Teams as a table to fill in: what each says of itself, a column for each team; and the first plan from nothing."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from werkzeug.datastructures import MultiDict

from widefork.core.errors import InvalidValue
from widefork.core.finance.schedules import NAME, Setting, SettingKind
from widefork.core.finance.schedules.people.schedule import TEAM
from widefork.core.graph.model import Model
from widefork.core.lines import Line, MemberKey
from widefork.core.rules import RULES, Rule, read_rule
from widefork.store import edits
from widefork.store.edits import Apply, together
from widefork.web.pages.people.plan import KIND, TeamPlan
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.naming import name_from
from widefork.web.shared.settings import changes_told, read_answer, read_setting

LONGEST_LABEL = 60
NOBODY: Mapping[MemberKey, Rule] = {(): read_rule(RULES, 0)}
PROFILE = "ramp_profile"
_FIRST = ("role", "region", "kind", "heads", "salary", "capacity", "ramp", "leaving", "hire_cost", "posts_to")
FIRST_TEAMS = Setting(
    "teams", "teams", SettingKind.ROWS, columns=tuple(setting for setting in TEAM if setting.key in _FIRST),
    is_required=True, hint="One row for each role, or each role in a region; all else can be said later.",
)  # fmt: skip
_PARTS = (
    ("Who they are", ("role", "region", "kind", "heads", "allowed", "full_time", "posts_to")),
    ("What they are paid", ("salary", "bonus", "benefits", "charges")),
    ("What they can do", ("capacity", "productivity", "ramp", "ramp_profile", "return_ramp")),
    ("Coming and going", ("leaving", "hire_cost", "equip_cost", "leave_cost")),
)


@dataclass(frozen=True, kw_only=True)
class AttributeRow:
    """An attribute with what every team says."""

    key: str
    label: str
    unit: str
    hint: str
    usual: str
    choices: tuple[tuple[str, str], ...]
    texts: tuple[str, ...]


@dataclass(frozen=True)
class TeamSheet:
    """The teams as columns, attributes as rows, in parts."""

    teams: tuple[str, ...]
    parts: tuple[tuple[str, tuple[AttributeRow, ...]], ...]


def build_teams(_view: View, plan: TeamPlan, _: Mapping[str, str]) -> TeamSheet:
    """Return the teams with all they say of themselves."""
    by_key = {setting.key: setting for setting in TEAM}
    parts = tuple((label, tuple(_row(plan, by_key[key]) for key in keys)) for label, keys in _PARTS)
    return TeamSheet(plan.teams.members, parts)


def _row(plan: TeamPlan, setting: Setting) -> AttributeRow:
    unit = setting.unit.replace("CUR", plan.model.currency)
    texts = tuple(
        _shown(setting, plan.teams.attributes.get(team, {}).get(setting.key, ""), plan.model)
        for team in plan.teams.members
    )
    usual = "" if setting.default in (None, 0, 0.0) else _text(setting, setting.default)
    hint = setting.hint
    if setting.key == "capacity":
        unit = str(plan.draft.value("work"))
    return AttributeRow(
        key=setting.key, label=setting.label, unit=unit, hint=hint, usual=usual, choices=setting.choices, texts=texts
    )


def _text(setting: Setting, value: str | float) -> str:
    if isinstance(value, str):
        return value
    return f"{formats.typed(value, setting.unit)} %" if setting.unit.startswith("%") else formats.written_out(value)


def teams_edit(plan: TeamPlan, form: "MultiDict[str, str]") -> Apply:
    """Return the edit of what teams say of themselves; fields come as ``<place>.<attribute>``.

    Raises
    ------
    InvalidValue: what was expected, what came, with the team; or that nothing was changed.
    """
    steps: list[Apply] = []
    told: list[str] = []
    for place, team in enumerate(plan.teams.members):
        before = dict(plan.teams.attributes.get(team, {}))
        label = " ".join(form.get(f"{place}.{NAME}", team).split()) or team
        texts = {s.key: form[f"{place}.{s.key}"] for s in TEAM if f"{place}.{s.key}" in form}
        known = _attributes(label, texts, before, plan.model)
        if known != before or label != team:
            steps.append(edits.change_member(plan.teams.name, team, "", label, known))
            what = changes_told(TEAM, before, known, plan.model)
            what = ", ".join(filter(None, (f"now called {label}" if label != team else "", what)))
            told.append(f"{team}: {what}")
    if not steps:
        raise InvalidValue("Nothing was changed.")
    return together(
        steps, f"{plan.given.label}: {'; '.join(told[:3])}{f' and {len(told) - 3} more' if len(told) > 3 else ''}"
    )


def _attributes(
    team: str, texts: Mapping[str, str], before: dict[str, str | float], model: Model
) -> dict[str, str | float]:
    known = dict(before)
    for setting in TEAM:
        if setting.key not in texts:
            continue
        text = texts[setting.key].strip()
        if text == _shown(setting, before.get(setting.key, ""), model):
            continue
        if not text:
            known.pop(setting.key, None)
            continue
        try:
            value = read_setting(setting, text, None, model)
            setting.checked(value if value is not None else setting.default, model)
        except InvalidValue as fault:
            raise InvalidValue(f"{team}: {fault.sentence}") from fault
        if value is None:
            known.pop(setting.key, None)
        else:
            known[setting.key] = _profile_named(value, model) if setting.key == PROFILE else value
    return known


def _shown(setting: Setting, value: str | float, model: Model) -> str:
    """A value as its field shows it; a profile, which is kept by name, by its label."""
    if setting.key == PROFILE:
        return next((p.label for p in model.profiles if p.name == value), str(value))
    return _text(setting, value)


def _profile_named(text: str, model: Model) -> str:
    """The name of a profile whose label was typed; as typed where there is none, and so refused with the known ones."""
    return next((p.name for p in model.profiles if text.lower() in (p.name.lower(), p.label.lower())), text)


def new_team(plan: TeamPlan, form: "MultiDict[str, str]") -> Apply:
    """Return the edit that adds a team; it begins as a copy of another, without its heads."""
    label = _name(form.get("label", ""))
    like = form.get("like", "")
    known = dict(plan.teams.attributes.get(like, {})) if like in plan.teams.members else {}
    known.pop("heads", None)
    return edits.add_member(plan.teams.name, label, f"{label}: a new team in {plan.given.label}", known)


def _name(text: str) -> str:
    label = " ".join(text.split())
    if not label or len(label) > LONGEST_LABEL:
        raise InvalidValue(f"A team needs a name of 1 to {LONGEST_LABEL} letters, such as Lab analysts.")
    return label


def first_plan(model: Model, form: "MultiDict[str, str]") -> Apply:
    """Return the edit that begins a team plan: the teams, lines for who comes and goes, and the plan itself.

    Parameters
    ----------
    model : with all its lines.

    Raises
    ------
    InvalidValue: what was expected, what came, with the team.
    """
    rows: list[dict[str, Any]] = read_answer(FIRST_TEAMS, form, model) or []
    if not rows:
        raise InvalidValue("Name at least one team, such as Lab analysts.")
    FIRST_TEAMS.checked(rows, model)
    names = {line.name for line in model.lines} | {d.name for d in model.dimensions}
    teams = name_from("team", names)
    region = model.dimension_by_name.get("region")
    if region is not None:
        for row in rows:
            if row.get("region", "") not in region.members:
                raise InvalidValue(
                    f"{row[NAME]}: expected a region of the model, {', '.join(region.members)}; "
                    f"got “{row.get('region', '')}”."
                )
    known = {row[NAME]: {key: value for key, value in row.items() if key != NAME} for row in rows}
    section = name_from("people", {s.name for s in model.sections})
    steps = [
        edits.add_dimension(teams, "Teams", tuple(known), "", known),
        edits.add_section(section, "People", "who comes and goes", ""),
    ]
    lines = {}
    for key, label in (("hires", "Hired"), ("returns", "Returned"), ("let_go", "Let go")):
        name = name_from(label, names)
        names.add(name)
        lines[key] = [name]
        steps.append(edits.add_line(Line(name, label, "heads", section, (teams,), rules=NOBODY), ""))
    settings: dict[str, Any] = {"register": teams, **lines}
    work = " ".join(form.get("work", "").lower().split())
    if work:
        settings["work"] = work
    plan = name_from("staff", {given.name for given in model.schedules} | {line.name for line in model.lines})
    steps.append(edits.add_schedule(KIND, plan, "Team plan", settings, ""))
    return together(steps, f"Team plan: {len(rows)} {'team' if len(rows) == 1 else 'teams'}")
