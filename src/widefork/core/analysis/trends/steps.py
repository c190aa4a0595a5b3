"""Steps on a series before it is forecast: in sight, one after the other, the series they begin from untouched."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from widefork.core.analysis.trends.gaps import filled_gaps
from widefork.core.analysis.trends.season import found_season
from widefork.core.analysis.trends.series import Series, Values
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue
from widefork.core.history import Doubled, Gaps, Step, StepKind

FEWEST_BESIDE = 3
"""Known values on both sides of a change of level, so that it can be told."""


@dataclass(frozen=True)
class Stepped:
    """A series after a step, and what the step did to it, in words.

    Parameters
    ----------
    place : of the period, in the series before the step. before, after : its value, NaN where unknown.
    """

    series: Series
    words: str
    place: int
    before: float
    after: float


def taken_steps(
    series: Series, steps: Sequence[Step], doubled: Mapping[Month, tuple[float, ...]] | None = None
) -> tuple[Stepped, ...]:
    """Return the series after each step, in order; the last is what is forecast.

    Parameters
    ----------
    doubled : by first month of a period that stood more than once, what came.

    Raises
    ------
    InvalidValue: a period the series does not have, a step that leaves nothing, a level that cannot be told, a gap or
        doubled period that is none.
    """
    found: list[Stepped] = []
    for step in steps:
        place = _place(series, step.month)
        before = float(series.values[place])
        match step.kind:
            case StepKind.DOUBLED:
                later, words = _single(series, place, step, doubled or {})
            case StepKind.GAP:
                later, words = _gap(series, place, Gaps(step.way))
            case _:
                later, words = _DONE[step.kind](series, place)
        at = place - (len(series.values) - len(later.values))
        found.append(Stepped(later, words, place, before, float(later.values[at])))
        series = later
    return tuple(found)


def fills_of(steps: Sequence[Step]) -> tuple[tuple[Month, Gaps], ...]:
    """Return how single gaps are filled, for ``Settings.fills``: what is filled stays unknown in the series itself."""
    return tuple((step.month, Gaps(step.way)) for step in steps if step.kind is StepKind.GAP)


def _single(series: Series, place: int, step: Step, doubled: Mapping[Month, tuple[float, ...]]) -> tuple[Series, str]:
    """One value of a period that stood more than once."""
    label = series.label_at(place)
    came = doubled.get(series.month_at(place))
    if not came:
        raise InvalidValue(f"{series.name} knows {label} only once; there is nothing to choose from.")
    values = series.values.copy()
    values[place] = one_of(came, Doubled(step.way))
    said = " and ".join(f"{value:,.6g}" for value in came)
    return replace(series, values=values), f"{label} stood {len(came)} times, {said}: {_TAKEN[Doubled(step.way)]}."


def one_of(came: Sequence[float], way: Doubled) -> float:
    """Return what is taken of the values of one period; NaN where none is known."""
    known = [value for value in came if value == value]
    if not known:
        return float("nan")
    match way:
        case Doubled.MEAN:
            return float(np.mean(known))
        case Doubled.FIRST:
            return known[0]
        case Doubled.LAST:
            return known[-1]
    return float(np.sum(known))


_TAKEN = {
    Doubled.SUM: "their sum", Doubled.MEAN: "their mean", Doubled.FIRST: "the first", Doubled.LAST: "the last",
}  # fmt: skip


def _gap(series: Series, place: int, way: Gaps) -> tuple[Series, str]:
    label = series.label_at(place)
    if not np.isnan(series.values[place]):
        raise InvalidValue(f"{series.name} knows {label}; there is no gap to fill.")
    if way is not Gaps.ZERO:
        return series, f"{label} is missing: {_FILLED[way]}."
    values = series.values.copy()
    values[place] = 0.0
    return replace(series, values=values), f"{label} is missing: {_FILLED[way]}."


_FILLED = {
    Gaps.LEAVE: "left unknown", Gaps.INTERPOLATE: "between those beside it", Gaps.ZERO: "nothing happened",
    Gaps.LAST_YEAR: "the same period last year, grown as its neighbours",
}  # fmt: skip


def _place(series: Series, month: Month) -> int:
    place = (month.ordinal - series.start.ordinal) * series.per_year // 12
    if not 0 <= place < len(series.values):
        last = series.label_at(len(series.values) - 1)
        raise InvalidValue(
            f"{series.name} goes from {series.label_at(0)} to {last}; {month} is not in it. Choose one of its "
            f"{series.period}s."
        )
    return place


def _left_out(series: Series, place: int) -> tuple[Series, str]:
    label = series.label_at(place)
    if np.isnan(series.values[place]):
        raise InvalidValue(f"{series.name} knows nothing of {label} anyway; there is nothing to leave out.")
    values = series.values.copy()
    values[place] = np.nan
    return replace(series, values=values), f"{label} left out: {series.values[place]:,.6g}."


def _since(series: Series, place: int) -> tuple[Series, str]:
    later = series.values[place:]
    label = series.label_at(place)
    if np.isnan(later).all():
        raise InvalidValue(f"{series.name} has no values from {label} on; choose an earlier {series.period}.")
    return replace(
        series, start=series.month_at(place), values=later
    ), f"Begins with {label}; {place} before it left out."


def _levelled(series: Series, place: int) -> tuple[Series, str]:
    """The level before a change, as a factor where all values lie above 0, else as an amount: the least squares of a
    line, a season where there is one, and a step at the change."""
    label, values = series.label_at(place), series.values
    before, after = (int((~np.isnan(part)).sum()) for part in (values[:place], values[place:]))
    if min(before, after) < FEWEST_BESIDE:
        raise InvalidValue(
            f"{series.name} has {before} values before {label} and {after} from then on; a change of level is told by "
            f"at least {FEWEST_BESIDE} on both sides."
        )
    known = ~np.isnan(values)
    is_factor = bool(values[known].min() > 0)
    own = np.log(values) if is_factor else values
    # A change of level hides the season: it is looked for once the change is roughly undone.
    rough = np.concatenate([own[:place] + _shift(own, known, place, 1), own[place:]])
    shift = _shift(own, known, place, _season_of(replace(series, values=rough)))
    amount = float(np.exp(shift)) if is_factor else shift
    earlier = values[:place] * amount if is_factor else values[:place] + amount
    said = f"{(amount - 1) * 100:+.1f} %" if is_factor else f"{amount:+,.6g}"
    return replace(
        series, values=np.concatenate([earlier, values[place:]])
    ), f"Before {label} brought to the level since: {said}."


def _season_of(series: Series) -> int:
    whole = series.without_ends()
    season = found_season(whole, filled_gaps(whole.values, Gaps.INTERPOLATE, series.per_year))
    return season if len(series.values) >= 2 * season + FEWEST_BESIDE else 1


def _shift(own: Values, known: Values, place: int, season: int) -> float:
    places = np.arange(len(own))
    columns = [np.ones(len(own)), places.astype(float), (places >= place).astype(float)]
    columns += [(places % season == each).astype(float) for each in range(1, season)]
    found, *_ = np.linalg.lstsq(np.column_stack(columns)[known], own[known], rcond=None)
    return float(found[2])


_DONE = {StepKind.LEAVE_OUT: _left_out, StepKind.SINCE: _since, StepKind.LEVEL: _levelled}
