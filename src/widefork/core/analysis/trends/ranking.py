"""Many forecasts in order: which are worth trusting, which no better than a simple one, which not worth it, and why."""

from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from widefork.core.analysis.trends.forecast import OFTEN_ZERO, Forecast, Settings
from widefork.core.analysis.trends.many import Outcome, Told, forecast_or_why, go_through
from widefork.core.analysis.trends.methods import SHAPE_OF_ANOTHER
from widefork.core.analysis.trends.series import Series, Values
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import WideforkError
from widefork.core.graph.plan import Plan

FEWEST_BESIDE = 6
"""Known values on both sides of a change of level that is found rather than told."""
CLEAR = 8.0
"""A step so many times its own error is no chance."""
LARGE = 0.2
"""A change of level by less than this share is left to the methods."""
SHORT = {12: 12, 4: 8, 2: 6, 1: 5}
"""Fewer known periods than these are too short to be trusted, by periods a year."""
TRIED = 0.01
"""By so much an assumption is scaled to see its weight."""


class Trust(StrEnum):
    """What a forecast is worth."""

    TRUSTED = "worth trusting"
    SIMPLE = "no better than a simple one"
    DOUBTED = "not worth trusting"


@dataclass(frozen=True)
class Studied:
    """A series' forecast, or why there is none; and the place of a change of level, where there is a clear one."""

    outcome: Outcome
    changed: int | None


@dataclass(frozen=True)
class Ranked:
    """One forecast among many.

    Parameters
    ----------
    why : what speaks against it; empty where it is worth trusting. weight : share, 0 to 1, of what all move.
    against : its error as a share of that of the same period last year, or of the last value where there is no season;
        NaN where nothing was tested. since : the period since which the level is another.
    """

    name: str
    forecast: Forecast | None
    trust: Trust
    why: str
    weight: float
    against: float
    since: str = ""


def study_many(
    tasks: Sequence[tuple[Series, Settings]], executor: Executor | None = None, told: Told = lambda done, of: True
) -> Iterator[Studied]:
    """Yield every series studied, in order; see ``forecast_many``."""
    return go_through(study, tasks, executor, told)


def study(task: tuple[Series, Settings]) -> Studied:
    """Return a series' forecast, or why there is none, and whether its level changed."""
    outcome = forecast_or_why(task)
    return Studied(outcome, None if isinstance(outcome, WideforkError) else level_change(outcome))


def level_change(forecast: Forecast) -> int | None:
    """Return the place of a clear change of level in what was forecast from; None where there is none.

    The step that explains most beside a line and a season, by least squares, of logarithms where all lies above 0. A
    year's season is taken along even where none was found: a change of level hides it.
    """
    values = forecast.filled
    count, season = len(values), max(forecast.season, forecast.series.per_year)
    if count < 2 * FEWEST_BESIDE + season:
        season = forecast.season
    if count < 2 * FEWEST_BESIDE + season:
        return None
    is_factor = bool(values.min() > 0)
    own = np.log(values) if is_factor else values
    places = np.arange(count)
    beside = [np.ones(count), places.astype(float)]
    beside += [(places % season == each).astype(float) for each in range(1, season)]
    fixed = np.column_stack(beside)
    best, found = 0.0, None
    for place in range(FEWEST_BESIDE, count - FEWEST_BESIDE + 1):
        columns = np.column_stack([fixed, places >= place])
        solved, *_ = np.linalg.lstsq(columns, own, rcond=None)
        rest = own - columns @ solved
        free = count - columns.shape[1]
        spread = float(rest @ rest) / free if free > 0 else 0.0
        error = float(np.sqrt(spread * np.linalg.pinv(columns.T @ columns)[-1, -1]))
        size = (
            abs(float(solved[-1])) if is_factor else abs(float(solved[-1])) / max(float(np.abs(values).mean()), 1e-12)
        )
        if size >= LARGE and abs(solved[-1]) > max(CLEAR * error, best):
            best, found = abs(float(solved[-1])), place
    return found


def rank(
    studied: Mapping[str, Studied], weights: Mapping[str, float], levelled: Sequence[str] = ()
) -> tuple[Ranked, ...]:
    """Return forecasts in groups of trust, the heaviest first in each.

    Parameters
    ----------
    weights : by name; 0 for what is not there. levelled : names whose change of level was dealt with by a step.
    """
    total = sum(weights.values()) or 1.0
    found = [_judged(name, each, weights.get(name, 0.0) / total, name in levelled) for name, each in studied.items()]
    order = list(Trust)
    return tuple(sorted(found, key=lambda each: (order.index(each.trust), -each.weight)))


def _judged(name: str, studied: Studied, weight: float, is_levelled: bool) -> Ranked:
    outcome = studied.outcome
    if isinstance(outcome, WideforkError):
        return Ranked(name, None, Trust.DOUBTED, str(outcome), weight, float("nan"))
    series = outcome.series
    many = f"{series.period}{'' if series.known_count == 1 else 's'}"
    against = _against(outcome)
    since = series.label_at(studied.changed) if studied.changed is not None and not is_levelled else ""
    zeros = int((outcome.filled == 0).sum())
    why = ""
    if series.known_count < SHORT[series.per_year] and outcome.method != SHAPE_OF_ANOTHER:
        why = f"too short: {series.known_count} {many}"
    elif zeros >= OFTEN_ZERO * len(outcome.filled):
        why = f"figures in {len(outcome.filled) - zeros} of {len(outcome.filled)} {many}"
    elif since:
        why = f"level changed in {since}"
    elif not np.isfinite(against):
        why = "untested"
    if why:
        return Ranked(name, outcome, Trust.DOUBTED, why, weight, against, since)
    if against >= 1 or outcome.method in ("naive", "seasonal_naive"):
        return Ranked(name, outcome, Trust.SIMPLE, outcome.label, weight, against)
    return Ranked(name, outcome, Trust.TRUSTED, "", weight, against)


def _against(forecast: Forecast) -> float:
    simple = {each.name: each.accuracy.mae for each in forecast.candidates if each.name in ("seasonal_naive", "naive")}
    other = simple.get("seasonal_naive", simple.get("naive", float("nan")))
    own = forecast.candidate.accuracy.mae if forecast.candidate is not None else float("nan")
    return own / other if other > 0 else float("nan")


def weights_of(plan: Plan, case: str, of: Mapping[str, tuple[str, tuple[tuple[str, str], ...]]]) -> dict[str, float]:
    """Return by how much each assumption moves EBITDA over the plan if it is 1 % more: amounts of currency, 0 or more.

    Parameters
    ----------
    of : by name, an assumption's line and members.
    """
    model = plan.model
    if not of:
        return {}
    first, own = model.timeline.first_plan, model.changes_of(case)
    lists = [(*own, Change(line, Operation.SCALE, 1 + TRIED, members, first)) for line, members in of.values()]
    results = evaluate(plan, [own, *lists], ["ebitda"])
    values: Values = results.values("ebitda").reshape(len(model.timeline.months), -1)
    moved = np.nansum(np.abs(values[:, 1:] - values[:, :1]), axis=0)
    return dict(zip(of, moved.tolist(), strict=True))
