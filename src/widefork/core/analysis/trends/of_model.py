"""The series of a model: what histories and actual months say of a line, and rules made from forecasts of it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from widefork.core.analysis.trends.forecast import LONGEST_HORIZON, Forecast, Settings, odd_places
from widefork.core.analysis.trends.gaps import filled_by, filled_gaps
from widefork.core.analysis.trends.methods import SHAPE_OF_ANOTHER, Like
from widefork.core.analysis.trends.season import found_season
from widefork.core.analysis.trends.series import SHORTEST, Series, Values
from widefork.core.analysis.trends.steps import Stepped, fills_of, taken_steps
from widefork.core.axes import Month, Timeline
from widefork.core.closing import NOT_GIVEN
from widefork.core.errors import InvalidValue, UnknownName, WideforkError
from widefork.core.graph.model import Model
from widefork.core.history import Doubled, Gaps, History, KeptForecast, Recipe, Step, StepKind, history_name
from widefork.core.lines import Line, MemberKey, OverMembers
from widefork.core.rules import Forecast as ForecastRule

WIDER = 0.95
"""The level shown beside the one asked for."""


@dataclass(frozen=True)
class Known:
    """What is known of a line at some members, or of something of its own.

    Parameters
    ----------
    line : None for what no line is for. history : None where only actual months are known. key : of the members, where
        one of each of the line's dimensions is named.
    raw : as it came, actual months of the plan after and over the history. stepped : after each step that could be
        taken, by its place among the steps. faults : by place, why one could not.
    series : after all of them, what is forecast.
    """

    name: str
    label: str
    unit: str
    line: Line | None
    members: tuple[tuple[str, str], ...]
    key: MemberKey | None
    history: History | None
    raw: Series
    stepped: Mapping[int, Stepped]
    faults: Mapping[int, str]
    series: Series

    @property
    def steps(self) -> tuple[Step, ...]:
        """The steps taken on it, in order, those that could not be among them."""
        return self.history.steps if self.history is not None else ()

    @property
    def is_assumption(self) -> bool:
        """Whether a forecast of it can become a rule of the plan."""
        return self.line is not None and self.line.is_assumption and self.key is not None


def known_names(model: Model) -> tuple[str, ...]:
    """Return the names of all series there are: histories in order, then assumptions with actual months only."""
    found = [history.name for history in model.histories]
    for line in model.lines:
        if line.is_assumption and line.actuals:
            count = model.timeline.actual_count
            keys = [key for key in model.keys_of(line) if any(v == v for v in _actuals(line, key)[:count])]
            found += [history_name(line.name, tuple(zip(line.dimensions, key, strict=True))) for key in keys]
    return tuple(dict.fromkeys(found))


def all_known(model: Model) -> tuple[Known, ...]:
    """Return everything there is a series of, in the order of ``known_names``."""
    histories = {history.name: history for history in model.histories}
    return tuple(_known(model, name, histories.get(name)) for name in known_names(model))


def known_of(model: Model, name: str) -> Known:
    """Return what is known under a name; raise UnknownName, or InvalidValue where nothing is."""
    return _known(model, name, next((each for each in model.histories if each.name == name), None))


def _known(model: Model, name: str, history: History | None) -> Known:
    if history is not None:
        line, members = model.line_by_name.get(history.line), history.members
    else:
        line, members = _line_and_members(model, name)
    at = dict(members)
    key = None
    if line is not None and set(at) == set(line.dimensions):
        key = tuple(at[dimension] for dimension in line.dimensions)
    label = line.label if line is not None else (history.label or history.line if history is not None else name)
    full = ", ".join((label, *at.values()))
    raw = _raw(model, full, history, line, key)
    stepped, faults, series = {}, {}, raw
    for place, step in enumerate(history.steps if history is not None else ()):
        try:
            (stepped[place],) = taken_steps(series, [step], history.doubled if history is not None else {})
        except WideforkError as fault:
            faults[place] = str(fault)
            continue
        series = stepped[place].series
    unit = line.unit if line is not None else (history.unit if history is not None else "")
    return Known(name, full, unit, line, members, key, history, raw, stepped, faults, series)


def filled_of(known: Known) -> Values:
    """Return what is taken of a series, from the first period that came: gaps filled as steps say, else interpolated.

    NaN before what is known, and all of it where nothing is.
    """
    before = (known.series.start.ordinal - known.raw.start.ordinal) * known.raw.per_year // 12
    values = np.full(before + len(known.series.values), np.nan)
    if known.series.known_count:
        own = known.series.without_ends()
        shift = (own.start.ordinal - known.raw.start.ordinal) * known.raw.per_year // 12
        values[shift : shift + len(own.values)] = filled_by(own, Gaps.INTERPOLATE, fills_of(known.steps))
    return values


def carrying(known: Known) -> History:
    """Return the history of a series, or one that can carry steps and forecasts where only actual months are known."""
    if known.history is not None:
        return known.history
    values = tuple(NOT_GIVEN if value != value else float(value) for value in known.raw.values)
    line = known.line.name if known.line is not None else known.name
    return History(line, known.raw.start, values, known.members, known.raw.per_year)


def _line_and_members(model: Model, name: str) -> tuple[Line, tuple[tuple[str, str], ...]]:
    for line in model.lines:
        if name != line.name and not name.startswith(f"{line.name} "):
            continue
        for key in model.keys_of(line):
            members = tuple(zip(line.dimensions, key, strict=True))
            if history_name(line.name, members) == name:
                return line, members
    raise UnknownName("history", name, known_names(model))


def _actuals(line: Line, key: MemberKey) -> tuple[float, ...]:
    return line.actuals.get(key) or line.actuals.get((), ())


def _raw(model: Model, name: str, history: History | None, line: Line | None, key: MemberKey | None) -> Series:
    """History and actual months as one series; a month's actual goes before what a history says of it."""
    timeline = model.timeline
    actual = _actual_months(model, line, key)
    if history is not None and (history.per_year != 12 or not actual.size):
        return Series(name, history.start, np.array(history.values, dtype=float), history.per_year)
    if history is None:
        if not actual.size or np.isnan(actual).all():
            raise InvalidValue(f"Nothing is known of {name} yet: bring in its history, or close a month.")
        return Series(name, timeline.start, actual)
    first = min(history.start, timeline.start)
    last = max(history.last, timeline.start.plus(len(actual) - 1))
    values = np.full(last.ordinal - first.ordinal + 1, np.nan)
    begins = history.start.ordinal - first.ordinal
    values[begins : begins + len(history.values)] = history.values
    begins = timeline.start.ordinal - first.ordinal
    span = slice(begins, begins + len(actual))
    values[span] = np.where(np.isnan(actual), values[span], actual)
    return Series(name, first, values)


def _actual_months(model: Model, line: Line | None, key: MemberKey | None) -> Values:
    """The actual months of a line at a combination, or of all of it where members add up."""
    count = model.timeline.actual_count
    if line is None or not line.actuals or not count:
        return np.zeros(0)
    if key is not None:
        return _padded(_actuals(line, key), count)
    if line.rollup.over_members is not OverMembers.SUM:
        return np.zeros(0)
    every = [_padded(_actuals(line, each), count) for each in model.keys_of(line)]
    return np.asarray(np.sum(every, axis=0))


def _padded(values: Sequence[float], count: int) -> Values:
    return np.array([*values[:count], *[np.nan] * (count - len(values))], dtype=float)


def suggested_steps(known: Known) -> tuple[Step, ...]:
    """Return steps worth taking that were not: gaps, doubled periods, values far off. Nothing is done by itself."""
    raw = known.series
    if raw.known_count < SHORTEST:
        return ()
    spoken_of = {(step.month.ordinal - raw.start.ordinal) * raw.per_year // 12 for step in known.steps}
    own = raw.without_ends()
    shift = (own.start.ordinal - raw.start.ordinal) * raw.per_year // 12
    filled = filled_gaps(own.values, Gaps.INTERPOLATE, own.per_year)
    season = found_season(own, filled)
    way = Gaps.LAST_YEAR if season > 1 else Gaps.INTERPOLATE
    found = []
    doubled = known.history.doubled if known.history is not None else {}
    for place in range(len(own.values)):
        month = own.month_at(place)
        if place + shift in spoken_of:
            continue
        if month in doubled:
            found.append(Step(StepKind.DOUBLED, month, Doubled.MEAN.value))
        elif np.isnan(own.values[place]):
            found.append(Step(StepKind.GAP, month, way.value))
    named = spoken_of | {(step.month.ordinal - raw.start.ordinal) * raw.per_year // 12 for step in found}
    odd = [place for place in odd_places(own, filled, season) if place + shift not in named]
    return (*found, *(Step(StepKind.LEAVE_OUT, own.month_at(place)) for place in odd))


def horizon_to(known: Known, timeline: Timeline) -> int:
    """Return how many periods lie between what is known of a series and the end of the plan; at least one."""
    own = known.series.without_ends()
    last = own.month_at(len(own.values))
    months = timeline.end.ordinal - last.ordinal + 1
    return int(min(max(1, -(-months * own.per_year // 12)), LONGEST_HORIZON))


def like_of(known: Known, every: Sequence[Known]) -> Known | None:
    """Return the series whose shape is proposed to be borrowed: of the same line, the one known longest, a year longer.

    None where there is none.
    """
    able = [
        each
        for each in every
        if each.line is not None
        and known.line is not None
        and (each.line.name, each.raw.per_year) == (known.line.name, known.raw.per_year)
        and each.series.known_count >= known.series.known_count + known.raw.per_year
    ]
    return max(able, key=lambda each: each.series.known_count, default=None)


def shape_of(like: Known, known: Known) -> Like:
    """Return a series as one whose shape another borrows; raise InvalidValue where it cannot be."""
    if like.name == known.name:
        raise InvalidValue(f"{known.label} cannot borrow its own shape; choose another series.")
    if like.raw.per_year != known.raw.per_year:
        raise InvalidValue(f"{like.label} is by {like.raw.period}, {known.label} by {known.raw.period}.")
    own, other = known.series.without_ends(), like.series.without_ends()
    filled = filled_by(other, Gaps.INTERPOLATE, fills_of(like.steps))
    months = 12 // own.per_year
    before = (own.start.ordinal - other.start.ordinal) // months
    if before < 0 or before + len(own.values) > len(filled):
        raise InvalidValue(f"{like.label} is not known over all that is known of {known.label}; choose another series.")
    values = tuple(filled[: before + len(own.values)].tolist())
    return Like(like.label, values, found_season(other, filled), before)


def borrowed_from(recipe: Recipe, model: Model) -> Known | None:
    """Return the series whose shape a recipe borrows, None where it borrows none; raise UnknownName, InvalidValue."""
    return known_of(model, recipe.like) if recipe.method == SHAPE_OF_ANOTHER and recipe.like else None


def settings_of(recipe: Recipe, known: Known, timeline: Timeline, like: Known | None = None) -> Settings:
    """Return what a recipe asks of the series as it is known today; raise InvalidValue.

    ``like`` : the series whose shape the recipe borrows.
    """
    levels = (recipe.level, WIDER) if recipe.level != WIDER else (WIDER,)
    return Settings(
        recipe.horizon or horizon_to(known, timeline), recipe.season, recipe.method, levels, recipe.gaps,
        recipe.is_non_negative, recipe.is_whole, recipe.growth, (), fills_of(known.steps), recipe.amount,
        shape_of(like, known) if like is not None else None,
    )  # fmt: skip


def kept_forecast(name: str, recipe: Recipe, made: Forecast) -> KeptForecast:
    """Return a forecast as it is kept, with its recipe."""
    band = made.bands[0]
    is_short = bool(np.isnan(band.low).any())
    start = made.series.month_at(len(made.filled))
    ends = [() if is_short else tuple(end.tolist()) for end in (band.low, band.high)]
    return KeptForecast(
        name, recipe, start, tuple(made.amounts.tolist()), ends[0], ends[1], made.label, made.series.known_count,
        made.season,
    )  # fmt: skip


def plan_rule(known: Known, kept: KeptForecast, timeline: Timeline, amounts: Sequence[float] = ()) -> ForecastRule:
    """Return the rule a forecast, or one of its ends, becomes in the plan: months of the plan that are known by now,
    because a history goes on beyond the boundary, stand before it as they are known.

    Raises
    ------
    InvalidValue: no line.
    """
    if known.line is None:
        raise InvalidValue(f"{known.label} is no line of the plan.")
    rule = forecast_rule(kept, known.line, known.raw.per_year, amounts)
    count = rule.start.ordinal - timeline.first_plan.ordinal
    if known.raw.per_year != 12 or count <= 0:
        return rule
    end = rule.start.ordinal - known.raw.start.ordinal
    before = tuple(float(value) for value in filled_of(known)[max(0, end - count) : end])
    return replace(rule, start=rule.start.plus(-len(before)), amounts=(*before, *rule.amounts))


def forecast_rule(kept: KeptForecast, line: Line, per_year: int, amounts: Sequence[float] = ()) -> ForecastRule:
    """Return the rule a forecast becomes, or one of its ends.

    A period longer than a month is spread evenly over its months where the line is a flow, else it holds in each.
    """
    months = 12 // per_year
    share = months if line.is_flow else 1
    given = amounts or kept.amounts
    return ForecastRule(
        kept.start, tuple(amount / share for amount in given for _ in range(months)), kept.name, kept.label, kept.count,
        kept.season * months if kept.season > 1 else 1,
    )  # fmt: skip


@dataclass(frozen=True)
class Came:
    """A month that was forecast and has come: what was said of it, and what came."""

    month: Month
    said: float
    came: float


def what_came(rule: ForecastRule, known: Known) -> tuple[Came, ...]:
    """Return the months a rule's forecast spoke of that are known by now, untouched, earliest first."""
    found = []
    if known.raw.per_year == 12:
        for place, said in enumerate(rule.amounts):
            at = rule.start.ordinal + place - known.raw.start.ordinal
            if 0 <= at < len(known.raw.values) and not np.isnan(known.raw.values[at]):
                found.append(Came(rule.start.plus(place), said, float(known.raw.values[at])))
    return tuple(found)
