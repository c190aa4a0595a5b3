"""A core Model to YAML text: the inverse of ``read_yaml``. Only what the user owns is written, nothing generated."""

import re
from collections.abc import Iterable
from io import StringIO
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.scalarstring import DoubleQuotedScalarString

from widefork.core.axes import Month
from widefork.core.changes import BARE, ByAge, ByHand, ByRule, Case, Change, Course, Move, Operation, Status, Switch
from widefork.core.closing import Closing
from widefork.core.figures import Comparison, Figure
from widefork.core.flags import Flag
from widefork.core.goals import PinnedGoal
from widefork.core.graph.model import Limit, Model, Rhythm
from widefork.core.history import History, forecast_document, step_document
from widefork.core.lines import Line, Rollup
from widefork.core.liquidity import USUAL_DAYS_UNDER_WAY, Liquidity
from widefork.core.look import Look, PlausibleRange
from widefork.core.rules import RULES, write_rule
from widefork.core.spreads import SpreadSetting
from widefork.files.yaml_format.read import MEMBER_SEPARATOR


def write_yaml(model: Model) -> str:
    """Return a model as YAML text."""
    out = StringIO()
    yaml = YAML()
    yaml.width = 100_000  # never wrapped: a key broken over two lines could not be read back
    yaml.allow_unicode = True
    yaml.default_flow_style = None
    yaml.dump(_quoted(model_document(model)), out)
    return out.getvalue()


def model_document(model: Model) -> dict[str, Any]:
    """Return a model as the plain document both YAML and JSON write."""
    timeline = model.timeline
    return {
        "wide_fork": 1,
        "model": model.name,
        "currency": model.currency,
        "timeline": _given(
            start=str(timeline.start),
            months=timeline.month_count,
            fiscal_year_start=timeline.fiscal_year_start,
            last_actual=_month(timeline.last_actual),
        ),
        "dimensions": {
            d.name: {m: dict(d.attributes.get(m, {})) for m in d} if d.attributes else list(d.members)
            for d in model.dimensions
        },
        "profiles": {p.name: {"label": p.label, "values": list(p.values)} for p in model.profiles},
        "flags": {flag.name: _flag(flag) for flag in model.flags},
        "sections": [
            _given(name=s.name, label=s.label, note=s.note)
            | {"lines": [_line(line) for line in model.lines if line.section == s.name]}
            for s in model.sections
        ],
        "schedules": [{"kind": s.kind, "name": s.name, "label": s.label, **s.settings} for s in model.schedules],
        "opening_balances": dict(model.opening_balances),
        "statements": _given(
            layout=model.statements.layout if model.statements.layout != "classic" else "",
            labels=dict(model.statements.labels),
            rows=[{"name": row.name, "label": row.label, "within": row.within} for row in model.statements.rows],
            order=list(model.statements.order),
        ),
        "limits": [_limit(limit) for limit in model.limits],
        "liquidity": _liquidity(model.liquidity),
        "ranges": {name: _range(found) for name, found in model.ranges.items()},
        "spreads": _spreads(model.spreads),
        "correlations": [{"of": [pair.one, pair.other], "is": pair.coefficient} for pair in model.correlations],
        "not_ours": list(model.not_ours),
        "units": {unit.many: _given(one=unit.one, decimals=unit.decimals) for unit in model.units},
        "closings": [_closing(closing) for closing in model.closings],
        "cases": [*map(_case, model.cases), *({**_case(case), "archived": True} for case in model.archived)],
        "moves": [_move(move) for move in model.moves],
        "figures": [_figure(figure) for figure in model.figures],
        "goals": [_goal(goal, model.figure(goal.figure)) for goal in model.goals],
        "histories": [_history(history) for history in model.histories],
    }


_SAFE = re.compile(r"[^\W\d_][\w ]*|[a-z_]+(?: [-+*/] [a-z_]+)+|\d{4}-\d{2}")
"""Text that reads back as itself wherever it stands; all else is written in quotes."""


def _quoted(value: Any) -> Any:
    if isinstance(value, dict):
        return {_quoted(key): _quoted(entry) for key, entry in value.items()}
    if isinstance(value, list):
        return [_quoted(entry) for entry in value]
    if isinstance(value, str) and not _SAFE.fullmatch(value):
        return DoubleQuotedScalarString(value)
    return value


def _given(**entries: Any) -> dict[str, Any]:
    """Only what is set."""
    return {key: value for key, value in entries.items() if value not in (None, "", (), [], {})}


def _goal(goal: PinnedGoal, figure: Figure) -> dict[str, Any]:
    target = str(Month.from_ordinal(int(goal.target))) if figure.reduction.gives_month else goal.target
    entry: dict[str, Any] = {"name": goal.name, "figure": goal.figure, "is": goal.sense.value, "target": target}
    return entry | {"case": goal.case} | _given(note=goal.note)


def _spreads(settings: Iterable[SpreadSetting]) -> dict[str, Any]:
    found: dict[str, list[dict[str, Any]]] = {}
    for each in settings:
        found.setdefault(each.line, []).append(_spread(each))
    return {line: entries[0] if len(entries) == 1 else entries for line, entries in found.items()}


def _spread(setting: SpreadSetting) -> dict[str, Any]:
    usual = SpreadSetting(setting.line)
    written: dict[str, Any] = {"shape": setting.shape.value} if setting.shape is not usual.shape else {}
    written |= {"held": setting.held} if setting.held != usual.held else {}
    written |= {"drawn": setting.rhythm.value} if setting.rhythm is not usual.rhythm else {}
    written |= {"persistence": setting.persistence} if setting.persistence else {}
    written |= {"range": _range(setting.plausible)} if setting.plausible is not None else {}
    written |= {"as": setting.applied.value} if setting.applied is not usual.applied else {}
    return written | ({"at": dict(setting.members)} if setting.members else {})


def _range(plausible: PlausibleRange) -> Any:
    limits = [plausible.low, plausible.likely, plausible.high]
    return {"share": limits} if plausible.is_relative else limits


def _flag(flag: Flag) -> dict[str, Any]:
    written = _given(
        label=flag.label,
        **{"from": _month(flag.first)},
        to=_month(flag.last),
        months_of_year=list(flag.months_of_year),
        note=flag.note,
    )
    return {**written, "counts": True} if flag.counts else written


def _limit(limit: Limit) -> dict[str, Any]:
    written = _given(name=limit.name, label=limit.label, line=limit.line, least=limit.least, most=limit.most)
    if limit.tested is not Rhythm.MONTH:
        written["tested"] = limit.tested.value
    written |= _given(**{"from": _month(limit.first)}, note=limit.note)
    return {**written, "covenant": True} if limit.is_covenant else written


def _months(amounts: tuple[float, ...]) -> list[float | None]:
    return [None if amount != amount else amount for amount in amounts]


def _liquidity(liquidity: Liquidity) -> dict[str, Any]:
    level = {} if liquidity.level is None else {"lowest_level": write_rule(RULES, liquidity.level)}
    days = {name: rule.day or rule.text for name, rule in liquidity.days.items()}
    after = {} if liquidity.under_way_days == USUAL_DAYS_UNDER_WAY else {"under_way_days": liquidity.under_way_days}
    return {**level, **_given(days=days, under_way=list(liquidity.under_way)), **after}


def _closing(closing: Closing) -> dict[str, Any]:
    return _given(
        month=str(closing.month),
        figures=dict(closing.figures),
        ages={name: list(amounts) for name, amounts in closing.ages.items()},
        notes=dict(closing.notes),
    )


def _history(history: History) -> dict[str, Any]:
    written = _given(line=history.line, label=history.label, unit=history.unit, at=dict(history.members))
    written |= {"start": str(history.start)}
    written |= {"periods_a_year": history.per_year} if history.per_year != 12 else {}
    written |= {"values": [None if value != value else value for value in history.values]}
    return written | _given(
        doubled={str(month): list(values) for month, values in history.doubled.items()},
        steps=[step_document(step) for step in history.steps],
        forecasts=[forecast_document(forecast) for forecast in history.forecasts],
        note=history.note,
    )


def _month(month: Month | None) -> str | None:
    return str(month) if month is not None else None


def _line(line: Line) -> dict[str, Any]:
    written = _given(
        name=line.name,
        label=line.label,
        unit=line.unit,
        over=list(line.dimensions),
        formula=line.formula,
        history=list(line.history),
        posts_to=line.posts_to,
        note=line.note,
        absent=[MEMBER_SEPARATOR.join(key) for key in line.absent],
        fixed=line.is_fixed or None,
        allow_loop=line.allow_loop or None,
        opening=line.opening or None,
    )
    if list(line.rules) == [()]:
        written["rule"] = write_rule(RULES, line.rules[()])
    elif line.rules:
        written["rules"] = {MEMBER_SEPARATOR.join(key): write_rule(RULES, rule) for key, rule in line.rules.items()}
    if list(line.actuals) == [()]:
        written["actuals"] = _months(line.actuals[()])
    elif line.actuals:
        written["actuals"] = {MEMBER_SEPARATOR.join(key): _months(values) for key, values in line.actuals.items()}
    if line.plausible is not None:
        written["range"] = _range(line.plausible)
    if line.look != Look():
        written["look"] = _look(line.look)
    if line.rollup != Rollup.default(line.unit):
        rollup = line.rollup
        written["rollup"] = {"time": rollup.over_time.value, "members": rollup.over_members.value}
        if rollup.numerator:
            written["rollup"]["of"] = [rollup.numerator, rollup.denominator]
        elif rollup.denominator:
            written["rollup"]["by"] = rollup.denominator
        if rollup.blank_months:
            written["rollup"]["blank_months"] = rollup.blank_months
    return written


def _look(look: Look) -> dict[str, Any]:
    written = _given(
        scale=look.scale and look.scale.value,
        emphasis=look.emphasis and look.emphasis.value,
        tint=look.tint and look.tint.value,
    )
    if look.decimals is not None:
        written["decimals"] = look.decimals
    return {**written, "space_above": True} if look.space_above else written


def _case(case: Case) -> dict[str, Any]:
    steps = [_change(step) if isinstance(step, Change) else _switch(step) for step in case.steps]
    written = _given(name=case.name, label=case.label, parent=case.parent, note=case.note, steps=steps)
    weight = {} if case.weight is None else {"weight": case.weight}
    return written | _given(drops=list(case.drops)) | weight | ({"pinned": True} if case.is_pinned else {})


def _switch(switch: Switch) -> dict[str, Any]:
    return {"move": switch.move} | _given(start=_month(switch.start)) | _strength(switch.strength)


def _move(move: Move) -> dict[str, Any]:
    changes = [_change(change) for change in move.changes]
    status = {} if move.status is Status.IDEA else {"status": move.status.value}
    return (
        _given(name=move.name, label=move.label, start=str(move.start), note=move.note, owner=move.owner)
        | status
        | _given(one_of=move.group, aims={aim.figure: aim.amount for aim in move.aims}, changes=changes)
    )


def _strength(strength: float) -> dict[str, float]:
    return {} if strength == 1 else {"strength": strength}


def _change(change: Change) -> dict[str, Any]:
    at: dict[str, list[str]] = {}
    for dimension, member in change.members:
        at.setdefault(dimension, []).append(member)
    amount: Any = change.amount if change.course is None else _course(change, change.course)
    if change.operation in (*BARE, Operation.DELAY):
        amount = True if change.operation in BARE else int(change.amount)
    written = (
        _given(name=change.name)
        | {"line": change.line, change.operation.value: amount}
        | _given(at=at, **{"from": _month(change.first)}, to=_month(change.last), why=change.note)
    )
    if change.operation is Operation.DEFER:
        written["catch_up"] = change.catch_up_months
    return written | _strength(change.strength)


def _course(change: Change, course: Course) -> dict[str, Any]:
    match course:
        case ByHand(amounts):
            return {"typed": list(amounts)}
        case ByRule(rule, since):
            return {"rule": write_rule(RULES, rule)} | _given(since=_month(since if since != change.first else None))
        case ByAge(profile, _, age):
            along = {"profile": profile, "times": change.amount}
            return along | ({"age": age} if age else {})
    raise ValueError(f"a change holds no such course: {course!r}")


def _figure(figure: Figure) -> dict[str, Any]:
    written = _given(
        name=figure.name,
        label=figure.label,
        line=figure.line,
        members=list(figure.members),
        **{"from": _month(figure.first)},
        to=_month(figure.last),
        find=figure.reduction.value,
    )
    if figure.reduction.asks_condition:
        written |= {"when": figure.comparison.value, "threshold": figure.threshold}
    if figure.comparison is not Comparison.AT_LEAST:
        written["when"] = figure.comparison.value
    if figure.is_pinned:
        written["pinned"] = True
    return written
