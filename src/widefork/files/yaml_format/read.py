"""YAML text to a core Model, with the line of the file in every complaint."""

import re
from collections.abc import Mapping
from functools import cache
from typing import Any

import jsonschema
from ruamel.yaml import YAML
from ruamel.yaml.error import MarkedYAMLError

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.changes import (
    BARE,
    Aim,
    ByAge,
    ByHand,
    ByRule,
    Case,
    Change,
    Course,
    Move,
    Operation,
    Status,
    Step,
    Switch,
)
from widefork.core.closing import NOT_GIVEN, Closing
from widefork.core.errors import InvalidModel, UnknownName, WideforkError
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.core.finance.statements import CAPTION_BY_NAME, OPENING_CAPTIONS
from widefork.core.flags import Flag
from widefork.core.goals import PinnedGoal, Sense
from widefork.core.graph.model import Limit, Model, OwnRow, Profile, Rhythm, ScheduleSettings, StatementSettings
from widefork.core.history import History, read_forecast, read_step
from widefork.core.language.units import UnitForm
from widefork.core.lines import Line, MemberKey, OverMembers, OverTime, Rollup, Section
from widefork.core.liquidity import USUAL_DAYS_UNDER_WAY, DayRule, Liquidity
from widefork.core.look import Emphasis, Look, PlausibleRange, Scale, Tint
from widefork.core.rules import RULES, read_rule
from widefork.core.spreads import USUAL_SHARE, Applied, Correlation, Redrawn, Shape, SpreadSetting
from widefork.files.yaml_format.budget import refuse_beyond_budget
from widefork.files.yaml_format.schema import MONTH_PATTERN, model_schema

_PERCENT = re.compile(r"(-?\d+(?:\.\d+)?) ?%")
_TEXTS = frozenset({"model", "currency", "name", "label", "note", "why", "unit", "formula"})
"""Keys whose text is never a number, even where it reads “5 %”."""

MEMBER_SEPARATOR = " / "
Curves = Mapping[str, tuple[float, ...]]
"""The values of profiles, by name."""


def read_yaml(text: str) -> Model:
    """Return the model a YAML text describes.

    Raises
    ------
    InvalidModel: not YAML, not the format's shape, or a model that contradicts itself; names the place and,
        where it can, the line of the text.
    """
    refuse_beyond_budget(text)
    try:
        loaded = YAML(typ="rt").load(text)
    except MarkedYAMLError as fault:  # what only shows when it is put together, such as a key given twice
        line = fault.problem_mark.line + 1 if fault.problem_mark else 1
        raise InvalidModel(f"This is not readable as YAML: {fault.problem}.", f"line {line}") from None
    except ValueError as fault:  # a date that is none: 2026-02-30
        raise InvalidModel(f"This is not readable as YAML: {fault}.", "file") from None
    faults = sorted(_validator().iter_errors(loaded), key=lambda fault: len(fault.absolute_path), reverse=True)
    if faults:
        deepest = faults[0]
        path = list(deepest.absolute_path)
        line = _line_of(loaded, path)
        raise InvalidModel(f"line {line}: {_sentence(deepest)}", "/".join(map(str, path)) or "file")
    for name in loaded.get("opening_balances", {}):
        if name not in OPENING_CAPTIONS:
            line = _line_of(loaded, ["opening_balances", name])
            raise InvalidModel(f"line {line}: {_opens_elsewhere(str(name))}", f"opening_balances/{name}")
    return _model(_plain(loaded))


def _sentence(fault: jsonschema.ValidationError) -> str:
    """What was expected, what came and what to write."""
    given: Any = fault.instance
    known: Any = fault.schema
    if fault.validator == "pattern" and fault.validator_value == MONTH_PATTERN:
        return f"expected a month like 2026-07, got {given!r}."
    if fault.validator == "type" and fault.validator_value == "string" and isinstance(given, int | float):
        advice = f", or rule: {given} for an assumption" if list(fault.absolute_path)[-1:] == ["formula"] else ""
        return f'expected text, got {given}. Write it in quotes, "{given}"{advice}.'
    if fault.validator == "additionalProperties" and "properties" in known:
        unknown = [key for key in given if key not in known["properties"]]
        numbers = [key for key in unknown if not isinstance(key, str)]
        if numbers:
            return (
                f"{numbers[0]} stands there alone: a comma ends a value within braces. Write a number without it, like "
                "1200, and a text in quotes."
            )
        return f"“{unknown[0]}” is no key here. Known are {', '.join(known['properties'])}."
    return f"{fault.message}."


def _opens_elsewhere(name: str) -> str:
    """What to write for an opening balance that does not stand in the model itself."""
    caption = CAPTION_BY_NAME.get(name)
    if caption is None or not caption.is_balance:
        return UnknownName("opening balance", name, OPENING_CAPTIONS).sentence
    if caption.formula:
        return f"{caption.label} is worked out from the others. Here stand {', '.join(OPENING_CAPTIONS)}."
    return (
        f"{caption.label} opens with what keeps it: write opening_balance at that schedule, or opening at the line that"
        f" posts to {name}. Here stand {', '.join(OPENING_CAPTIONS)}."
    )


@cache
def _validator() -> Any:
    return jsonschema.Draft202012Validator(model_schema())


def _line_of(document: Any, path: list[Any]) -> int:
    line = 1
    for key in path:
        if hasattr(document, "lc") and document.lc.data and key in document.lc.data:
            line = document.lc.data[key][0] + 1
        document = document[key]
    return line


def _plain(value: Any) -> Any:
    """Ordinary dicts, lists and numbers; “5 %” becomes 0.05."""
    if isinstance(value, Mapping):
        return {_plain(key) if isinstance(key, int) else str(key): _entry(key, entry) for key, entry in value.items()}
    if isinstance(value, list):
        return [_plain(entry) for entry in value]
    if isinstance(value, bool):
        return value
    if isinstance(value, int):
        return int(value)
    if isinstance(value, float):
        return float(value)
    if isinstance(value, str):
        percent = _PERCENT.fullmatch(value)
        return round(float(percent[1]) / 100, 15) if percent else str(value)
    return value


def _entry(key: Any, value: Any) -> Any:
    """What stands under a key; some are texts, whatever they look like."""
    if key == "notes" and isinstance(value, Mapping):
        return {str(name): str(note) for name, note in value.items()}
    return str(value) if key in _TEXTS else _plain(value)


def _model(given: dict[str, Any]) -> Model:
    timeline = given["timeline"]
    dimensions = tuple(
        Dimension(name, tuple(members), attributes=members if isinstance(members, dict) else {})
        for name, members in given.get("dimensions", {}).items()
    )
    sections = given["sections"]
    profiles = tuple(
        Profile(name, p.get("label", name), tuple(p["values"])) for name, p in given.get("profiles", {}).items()
    )
    curves = {profile.name: profile.values for profile in profiles}
    return Model(
        name=given["model"],
        currency=given["currency"],
        timeline=Timeline(
            Month.parse(timeline["start"]),
            timeline["months"],
            timeline.get("fiscal_year_start", 1),
            _month(timeline.get("last_actual")),
        ),
        dimensions=dimensions,
        sections=tuple(Section(s["name"], s["label"], s.get("note", "")) for s in sections),
        lines=tuple(_line(entry, section["name"]) for section in sections for entry in section.get("lines", [])),
        profiles=profiles,
        schedules=tuple(_schedule(entry) for entry in given.get("schedules", [])),
        opening_balances=given.get("opening_balances", {}),
        cases=tuple(_case(entry, curves) for entry in given["cases"] if not entry.get("archived")),
        archived=tuple(_case(entry, curves) for entry in given["cases"] if entry.get("archived")),
        figures=tuple(_figure(entry) for entry in given.get("figures", [])),
        goals=tuple(_goal(entry) for entry in given.get("goals", [])),
        histories=tuple(_history(entry) for entry in given.get("histories", [])),
        moves=tuple(_move(entry, curves) for entry in given.get("moves", [])),
        flags=tuple(_flag(name, entry) for name, entry in given.get("flags", {}).items()),
        statements=_statements(given.get("statements", {})),
        limits=tuple(_limit(entry) for entry in given.get("limits", [])),
        liquidity=_liquidity(given.get("liquidity", {})),
        closings=tuple(_closing(entry) for entry in given.get("closings", [])),
        not_ours=tuple(given.get("not_ours", ())),
        ranges={name: found for name, entry in given.get("ranges", {}).items() if (found := _plausible(entry))},
        spreads=tuple(
            _spread(name, entry)
            for name, entries in given.get("spreads", {}).items()
            for entry in (entries if isinstance(entries, list) else [entries])
        ),
        correlations=tuple(_correlation(entry) for entry in given.get("correlations", [])),
        units=tuple(UnitForm(many, **entry) for many, entry in given.get("units", {}).items()),
    )


def _statements(given: dict[str, Any]) -> StatementSettings:
    rows = tuple(OwnRow(row["name"], row["label"], row["within"]) for row in given.get("rows", ()))
    return StatementSettings(
        given.get("layout", "classic"), given.get("labels", {}), rows, tuple(given.get("order", ()))
    )


def _months(amounts: list[float | None]) -> tuple[float, ...]:
    return tuple(NOT_GIVEN if amount is None else amount for amount in amounts)


def _liquidity(given: dict[str, Any]) -> Liquidity:
    level = given.get("lowest_level")
    days = {name: DayRule.parse(str(day)) for name, day in given.get("days", {}).items()}
    return Liquidity(
        read_rule(RULES, level) if level is not None else None,
        days,
        tuple(given.get("under_way", ())),
        given.get("under_way_days", USUAL_DAYS_UNDER_WAY),
    )


def _closing(given: dict[str, Any]) -> Closing:
    ages = {name: tuple(amounts) for name, amounts in given.get("ages", {}).items()}
    return Closing(Month.parse(given["month"]), given.get("figures", {}), ages, given.get("notes", {}))


def _history(given: dict[str, Any]) -> History:
    return History(
        given["line"],
        Month.parse(given["start"]),
        _months(given["values"]),
        tuple(given.get("at", {}).items()),
        given.get("periods_a_year", 12),
        given.get("label", ""),
        given.get("unit", ""),
        {Month.parse(month): tuple(values) for month, values in given.get("doubled", {}).items()},
        tuple(read_step(entry) for entry in given.get("steps", [])),
        tuple(read_forecast(entry) for entry in given.get("forecasts", [])),
        given.get("note", ""),
    )


def _limit(given: dict[str, Any]) -> Limit:
    return Limit(
        given["name"],
        given["label"],
        given["line"],
        given.get("least"),
        given.get("most"),
        Rhythm(given.get("tested", Rhythm.MONTH)),
        _month(given.get("from")),
        given.get("covenant", False),
        given.get("note", ""),
    )


def _flag(name: str, given: dict[str, Any]) -> Flag:
    return Flag(
        name,
        given.get("label", name),
        _month(given.get("from")),
        _month(given.get("to")),
        tuple(given.get("months_of_year", ())),
        given.get("counts", False),
        given.get("note", ""),
    )


def _month(text: str | None) -> Month | None:
    return Month.parse(text) if text is not None else None


def _key(text: str) -> MemberKey:
    return tuple(text.split(MEMBER_SEPARATOR))


def _line(given: dict[str, Any], section: str) -> Line:
    place = f"lines/{given['name']}"
    documents = {(): given["rule"]} if "rule" in given else {_key(k): v for k, v in given.get("rules", {}).items()}
    actuals = given.get("actuals", {})
    unit = given.get("unit", "")
    try:
        rules = {key: read_rule(RULES, document) for key, document in documents.items()}
    except WideforkError as fault:
        raise InvalidModel(getattr(fault, "sentence", str(fault)), place) from fault
    return Line(
        name=given["name"],
        label=given["label"],
        unit=unit,
        section=section,
        dimensions=tuple(given.get("over", ())),
        formula=given.get("formula"),
        rules=rules,
        rollup=_rollup(given["rollup"], unit) if "rollup" in given else Rollup.default(unit),
        opening=given.get("opening", 0.0),
        history=tuple(given.get("history", ())),
        actuals={(): _months(actuals)}
        if isinstance(actuals, list)
        else {_key(k): _months(v) for k, v in actuals.items()},
        posts_to=given.get("posts_to", ""),
        note=given.get("note", ""),
        allow_loop=given.get("allow_loop", False),
        is_fixed=given.get("fixed", False),
        absent=tuple(_key(text) for text in given.get("absent", ())),
        look=_look(given.get("look", {})),
        plausible=_plausible(given.get("range")),
    )


def _look(given: dict[str, Any]) -> Look:
    return Look(
        given.get("decimals"),
        Scale(given["scale"]) if "scale" in given else None,
        Emphasis(given["emphasis"]) if "emphasis" in given else None,
        Tint(given["tint"]) if "tint" in given else None,
        given.get("space_above", False),
    )


def _goal(given: dict[str, Any]) -> PinnedGoal:
    target = given["target"]
    amount = float(Month.parse(target).ordinal) if isinstance(target, str) else target
    return PinnedGoal(given["name"], given["figure"], Sense(given["is"]), amount, given["case"], given.get("note", ""))


def _correlation(given: dict[str, Any]) -> Correlation:
    one, other = given["of"]
    return Correlation(one, other, given["is"])


def _spread(line: str, given: dict[str, Any]) -> SpreadSetting:
    return SpreadSetting(
        line,
        Shape(given.get("shape", Shape.TRIANGULAR)),
        given.get("held", USUAL_SHARE),
        Redrawn(given.get("drawn", Redrawn.ONCE)),
        given.get("persistence", 0.0),
        _plausible(given.get("range")),
        Applied(given.get("as", Applied.USUAL)),
        tuple(given.get("at", {}).items()),
    )


def _plausible(given: Any) -> PlausibleRange | None:
    if given is None:
        return None
    is_relative = isinstance(given, dict)
    low, likely, high = given["share"] if is_relative else given
    return PlausibleRange(low, likely, high, is_relative)


def _rollup(given: dict[str, Any], unit: str) -> Rollup:
    usual = Rollup.default(unit)
    numerator, denominator = given.get("of", ("", given.get("by", "")))
    return Rollup(
        OverTime(given.get("time", usual.over_time)),
        OverMembers(given.get("members", usual.over_members)),
        numerator,
        denominator,
        given.get("blank_months", 0),
    )


def _schedule(given: dict[str, Any]) -> ScheduleSettings:
    settings = {key: value for key, value in given.items() if key not in ("kind", "name", "label")}
    return ScheduleSettings(given["kind"], given["name"], given["label"], settings)


def _case(given: dict[str, Any], curves: Curves) -> Case:
    """A case with its steps; the older form had its changes and its moves apart, changes first."""
    entries = [*given.get("steps", []), *given.get("changes", []), *given.get("moves", [])]
    if "steps" in given and len(entries) > len(given["steps"]):
        raise InvalidModel(
            f"The case {given['label']} has steps, so its changes and moves belong among them, in order.",
            f"cases/{given['name']}/steps",
        )
    steps = tuple(_step(entry, curves) for entry in entries)
    drops = tuple(given.get("drops", ()))
    weight = given.get("weight")
    return Case(
        given["name"],
        given["label"],
        given.get("parent"),
        steps,
        given.get("note", ""),
        drops,
        None if weight is None else float(weight),
        given.get("pinned", False),
    )


def _step(given: dict[str, Any], curves: Curves) -> Step:
    if "move" not in given:
        return _change(given, curves)
    return Switch(given["move"], _month(given.get("start")), float(given.get("strength", 1)))


def _move(given: dict[str, Any], curves: Curves) -> Move:
    changes = tuple(_change(entry, curves) for entry in given.get("changes", []))
    return Move(
        given["name"],
        given["label"],
        Month.parse(given["start"]),
        changes,
        given.get("note", ""),
        given.get("owner", ""),
        Status(given.get("status", Status.IDEA)),
        given.get("one_of", ""),
        tuple(Aim(figure, float(amount)) for figure, amount in given.get("aims", {}).items()),
    )


def _change(given: dict[str, Any], curves: Curves) -> Change:
    operation = next(o for o in Operation if o.value in given)
    amount, course = _amount(given[operation.value], given, curves)
    return Change(
        given["line"],
        operation,
        0.0 if operation in BARE else amount,
        tuple((dimension, member) for dimension, members in given.get("at", {}).items() for member in members),
        _month(given.get("from")),
        _month(given.get("to")),
        given.get("why", ""),
        given.get("catch_up", 0),
        float(given.get("strength", 1)),
        given.get("name", ""),
        course,
    )


def _amount(document: Any, change: dict[str, Any], curves: Curves) -> tuple[float, Course | None]:
    """One amount for all months, or how it runs by month, counted from the change's first."""
    if not isinstance(document, Mapping):
        return float(document), None
    if "typed" in document:
        return 0.0, ByHand(tuple(None if typed is None else float(typed) for typed in document["typed"]))
    if "rule" in document:
        since = _month(document.get("since")) or _month(change.get("from"))
        if since is None:
            raise InvalidModel(
                f"A rule needs the month it is counted from: give the change of {change['line']} a “from”.",
                f"changes/{change['line']}",
            )
        return 0.0, ByRule(read_rule(RULES, document["rule"]), since)
    name = document["profile"]
    if name not in curves:
        raise UnknownName("profile", name, curves)
    return float(document.get("times", 1)), ByAge(name, curves[name], document.get("age", 0))


def _figure(given: dict[str, Any]) -> Figure:
    return Figure(
        given["name"],
        given["label"],
        given["line"],
        tuple(given.get("members", ())),
        _month(given.get("from")),
        _month(given.get("to")),
        Reduction(given["find"]),
        Comparison(given.get("when", "at least")),
        float(given.get("threshold", 0.0)),
        given.get("pinned", False),
    )
