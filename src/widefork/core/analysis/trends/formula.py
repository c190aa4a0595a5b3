"""An explained line as a formula of the plan: its drivers are lines, its coefficients assumptions like any other."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from math import isfinite

from widefork.core.analysis.trends.causes import Cause, CauseKind, cause_label, driver_name, event_months, working_days
from widefork.core.analysis.trends.drivers import Explained
from widefork.core.analysis.trends.of_model import filled_of, known_of
from widefork.core.errors import InvalidValue
from widefork.core.graph.model import Model
from widefork.core.language.units import PLAIN, Unit, read_unit
from widefork.core.lines import NO_TOTAL, Line, MemberKey
from widefork.core.look import PlausibleRange
from widefork.core.rules import Forecast as ForecastRule
from widefork.core.rules.flat import Flat
from widefork.core.rules.monthly import Monthly
from widefork.core.spreads import Shape, SpreadSetting

NORMAL_95 = 1.96
"""Standard errors to either side that hold 95 of 100, of a normal distribution."""
NAME = "By drivers"
NameFrom = Callable[[str, Collection[str]], str]
"""Makes a line's name from words, other than those taken."""


@dataclass(frozen=True)
class PlanFormula:
    """What is written into a plan.

    Parameters
    ----------
    lines : new ones, in order: what comes without drivers' moves; then drivers that were none yet, with their effects
        and usual levels.
    formula : of the line explained. spreads : how sure the effects are, for Chance.
    """

    lines: tuple[Line, ...]
    formula: str
    spreads: tuple[SpreadSetting, ...]


def plan_formula(
    target: Line, causes: Sequence[Cause], found: Mapping[MemberKey, Explained], model: Model, name_from: NameFrom
) -> PlanFormula:
    """Return the formula that says in the plan what was found, month for month, and the lines it needs.

    As factors: without moves × (driver / usual) ^ effect, or × exp(effect × (driver − usual)) where a driver is not
    above 0; else without moves + effect × (driver − usual). A member that its drivers do not help has effects of 0.

    Parameters
    ----------
    found : of every member, as factors or not alike.

    Raises
    ------
    InvalidValue: a member that was not explained, different forms, or a forecast that does not begin with the plan.
    """
    keys = model.keys_of(target)
    _check(target, keys, found, model)
    first = found[keys[0]]
    taken = {*model.line_by_name}
    lines: list[Line] = []

    def named(words: str) -> str:
        name = name_from(words, taken)
        taken.add(name)
        return name

    def assumption(words: str, label: str, unit: str, values: Mapping[MemberKey, float]) -> str:
        rules = {key: Flat(round(value, 10)) for key, value in values.items()}
        line = Line(named(words), label, unit, target.section, target.dimensions, rules=rules, rollup=NO_TOTAL)
        lines.append(line)
        return line.name

    helped = {key: each.gain > 0 for key, each in found.items()}
    ground = {
        key: ForecastRule(
            model.timeline.first_plan, tuple((each.ground if helped[key] else each.alone.amounts).tolist()), NAME,
            each.alone.label if not helped[key] else NAME.lower(), each.alone.series.known_count, each.alone.season,
        )
        for key, each in found.items()
    }  # fmt: skip
    base = Line(
        named(f"{target.name}_without_moves"), f"{target.label}, without drivers’ moves", target.unit, target.section,
        target.dimensions, rules=ground, rollup=target.rollup,
    )  # fmt: skip
    formula, spreads = base.name, []
    for place, cause in enumerate(causes):
        label = driver_name(cause, model)
        driver, unit = _driver_line(cause, label, first, place, target.section, model, named, lines)
        effects = {key: each.effects[place] for key, each in found.items()}
        is_elastic = effects[keys[0]].is_elastic
        if any(effect.is_elastic != is_elastic for effect in effects.values()):
            raise InvalidValue(f"{label} is above 0 for some members only; leave it out, or write them one by one.")
        effect = assumption(
            f"{target.name}_by_{cause.name or 'days'}", f"{target.label}: effect of {label}",
            _effect_unit(target, unit, is_elastic, first.in_logs),
            {key: each.amount if helped[key] else 0.0 for key, each in effects.items()},
        )  # fmt: skip
        compared = driver
        if is_elastic or any(each.usual[place] for each in found.values()):
            usual = assumption(
                f"{target.name}_usual_{cause.name or 'days'}", f"{target.label}: usual {label}", unit_text(unit),
                {key: each.usual[place] for key, each in found.items()},
            )  # fmt: skip
            compared = f"({driver} / {usual})" if is_elastic else f"({driver} - {usual})"
        if is_elastic:
            formula += f" * {compared} ^ {effect}"
        elif first.in_logs:
            formula += f" * exp({effect} * {compared})"
        else:
            formula += f" + {effect} * {compared}"
        for key, each in effects.items():
            if helped[key] and isfinite(each.error) and each.error > 0:
                reach = NORMAL_95 * each.error
                ends = PlausibleRange(each.amount - reach, each.amount, each.amount + reach)
                members = tuple(zip(target.dimensions, key, strict=True))
                spreads.append(SpreadSetting(effect, Shape.NORMAL, 0.95, plausible=ends, members=members))
    if not first.in_logs and first.alone.settings.is_non_negative:
        formula = f"max(0, {formula})"
    return PlanFormula((base, *lines), formula, tuple(spreads))


def _check(target: Line, keys: Sequence[MemberKey], found: Mapping[MemberKey, Explained], model: Model) -> None:
    if not target.is_assumption:
        raise InvalidValue(f"{target.label} is calculated already, or fixed; only an assumption becomes a formula.")
    missing = [" / ".join(key) for key in keys if key not in found]
    if missing:
        raise InvalidValue(
            f"A formula is of all members of {target.label}, and {', '.join(missing)} could not be explained: bring in "
            "more of what happened there, or take fewer drivers."
        )
    if len({each.in_logs for each in found.values()}) > 1:
        raise InvalidValue(f"Some members of {target.label} are 0 or below, so effects are no factors for all of them.")
    first = model.timeline.first_plan
    for each in found.values():
        begins = each.alone.series.month_at(len(each.alone.filled))
        if begins != first or each.alone.series.per_year != 12:
            raise InvalidValue(
                f"{each.alone.series.name} is known to {begins.plus(-1).label}, and the plan begins in {first.label}. "
                "A formula needs months known up to there: close those that are known, or bring in those missing."
            )


def _driver_line(
    cause: Cause, label: str, first: Explained, place: int, section: str, model: Model, named: Callable[[str], str],
    lines: list[Line],
) -> tuple[str, Unit]:  # fmt: skip
    """How a formula reads a driver, and its unit; a driver the plan has no line for gets one."""
    timeline = model.timeline
    if cause.kind is CauseKind.LINE:
        line = model.line_by_name.get(cause.name) or next((each for each in lines if each.name == cause.name), None)
        if line is None:
            line = _own_line(cause, first, place, section, model)
            lines.append(line)
        return f"before({line.name}, {cause.lag})" if cause.lag else line.name, read_unit(line.unit)
    months = list(timeline.months)
    if cause.kind is CauseKind.DAYS:
        found = working_days([month.plus(-cause.lag) for month in months], cause.name)
    else:
        found = event_months(cause, months)
    rule = Monthly(timeline.start, tuple(found.tolist()))
    same = next((line for line in model.lines if line.label == label and line.rules == {(): rule}), None)
    if same is not None:
        return same.name, read_unit(same.unit)
    unit = "days" if cause.kind is CauseKind.DAYS else ""
    line = Line(named(label), label, unit, section, rules={(): rule}, rollup=NO_TOTAL)
    lines.append(line)
    return line.name, read_unit(unit)


def _own_line(cause: Cause, first: Explained, place: int, section: str, model: Model) -> Line:
    """A line for a series that was no line's: what is known of it, and then what was taken of it here."""
    known, label = known_of(model, cause.name), cause_label(cause, model)
    timeline = model.timeline
    filled = filled_of(known)
    begin = timeline.start.ordinal - known.raw.start.ordinal
    actuals = tuple(
        float(filled[begin + at]) if 0 <= begin + at < len(filled) else 0.0 for at in range(timeline.actual_count)
    )
    ahead = tuple(first.ahead[place, cause.lag :].tolist())
    season = 12 if len(ahead) >= 12 else 1
    rule = ForecastRule(timeline.first_plan, ahead, NAME, "as taken to explain", known.series.known_count, season)
    given: dict[MemberKey, tuple[float, ...]] = {(): actuals} if actuals else {}
    note = "Drives others. Its months before the plan are its history."
    return Line(cause.name, label, known.unit, section, rules={(): rule}, actuals=given, rollup=NO_TOTAL, note=note)


def _effect_unit(target: Line, driver: Unit, is_elastic: bool, in_logs: bool) -> str:
    if is_elastic:
        return ""
    return unit_text((PLAIN if in_logs else read_unit(target.unit)) / driver)


def unit_text(unit: Unit) -> str:
    """Return a unit as a line writes it."""
    return "" if unit == PLAIN else str(unit)
