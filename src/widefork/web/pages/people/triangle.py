"""The cohort view: joining month against month, folding into the total, with sums on both sides."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.cohorts import cohorts_of
from widefork.core.axes import Period
from widefork.core.finance.schedules.people.ramps import HIRED, RETURNED, ramp_weights
from widefork.web.pages.people.plan import TeamPlan, months_of
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.period_table import Column, columns_of

MEASURES = (
    ("ramped", "ramped heads"),
    ("heads", "heads joined"),
    ("capacity", "what they can do"),
    ("learning", "pay while not yet ramped"),
)
Values = NDArray[np.float64]


@dataclass(frozen=True)
class CohortRow:
    """A cohort: its cells, with how full each is from 0 to 4, and its sum or end."""

    label: str
    joined: str
    cells: tuple[tuple[str, int], ...]
    side: str


@dataclass(frozen=True)
class Triangle:
    """The view; ``rest`` is who was there before, less who left; ``total`` is the plan's own line."""

    measures: tuple[tuple[str, str, bool], ...]
    columns: tuple[Column, ...]
    rows: tuple[CohortRow, ...]
    together: tuple[str, ...]
    rest: tuple[str, ...]
    total: tuple[str, ...]
    labels: tuple[str, str, str]
    side: str
    unit: str
    is_folded: bool
    fold_url: str
    sides: tuple[str, str, str]


def build_triangle(view: View, plan: TeamPlan, team: str, measure: str, is_folded: bool) -> Triangle:
    """Return the cohorts of a team, or of all teams together, by month of joining."""
    measure = measure if measure in dict(MEASURES) else MEASURES[0][0]
    teams = (team,) if team else plan.teams.members
    months = view.snapshot.model.timeline.month_count
    joined, counted = np.zeros(months), np.zeros((months, months))
    for member in teams:
        each = _worth(view, plan, member, measure)
        for flow, part in (("hires", HIRED), ("returns", RETURNED)):
            joins = np.array(months_of(view, plan, flow, (member,)))
            joined += joins
            weights = _weights(plan, member, part, measure)
            for cohort in cohorts_of(joins, weights, each):
                counted[cohort.place] += cohort.values
    sums = measure in ("capacity", "learning")
    table = columns_of(view)
    periods = table.periods
    unit = _unit(view, plan, measure)
    total = _total(view, plan, teams, measure, counted)
    rows = [
        _row(view, int(place), joined[place], counted[place], periods, sums, unit)
        for place in np.flatnonzero(joined)
        if view.snapshot.model.timeline.months[int(place)] <= view.address.last
    ]
    together = counted.sum(axis=0)
    lines = [_rolled(view, values, periods, sums) for values in (together, total - together, total)]
    ends = [float(values.sum()) if sums else float(values[-1]) for values in lines]
    shown = [tuple(_shown(float(value), unit) for value in values) for values in lines]
    return Triangle(
        tuple((word, label, word == measure) for word, label in MEASURES),
        tuple(column for column in table.columns if not column.is_year),
        () if is_folded else tuple(rows),
        shown[0],
        shown[1],
        shown[2],
        _labels(measure),
        "sum" if sums else "at the end",
        unit,
        is_folded,
        view.address.url(fold="" if is_folded else "yes"),
        (_shown(ends[0], unit), _shown(ends[1], unit), _shown(ends[2], unit)),
    )


def _labels(measure: str) -> tuple[str, str, str]:
    total = {"ramped": "ramped heads", "heads": "heads", "capacity": "can be done", "learning": "in all"}[measure]
    rest = "there before, less who left" if measure != "learning" else ""
    return "all who joined", rest, total


def _unit(view: View, plan: TeamPlan, measure: str) -> str:
    return {"capacity": str(plan.draft.value("work")), "learning": view.snapshot.model.currency}.get(measure, "heads")


def _weights(plan: TeamPlan, team: str, part: str, measure: str) -> Sequence[float]:
    ramp = ramp_weights(plan.draft, team, part)
    if measure == "heads":
        return (1.0,)
    return tuple(1 - weight for weight in ramp) if measure == "learning" else ramp


def _worth(view: View, plan: TeamPlan, team: str, measure: str) -> Values | None:
    """What one who counts in full is worth in a month."""
    heads, full_time = (np.array(months_of(view, plan, part, (team,))) for part in ("heads", "full_time"))
    share = np.divide(full_time, heads, out=np.ones_like(heads), where=heads > 0)
    if measure == "heads":
        return None
    if measure == "ramped":
        return np.asarray(share)
    if measure == "capacity":
        each, output = (np.array(months_of(view, plan, part, (team,))) for part in ("capacity_of_team", "productivity"))
        return np.asarray(share * each * output)
    salary, rises = np.asarray(months_of(view, plan, "salary", (team,))), np.array(months_of(view, plan, "rises"))
    return np.asarray(share * salary * rises)


def _total(view: View, plan: TeamPlan, teams: Sequence[str], measure: str, counted: Values) -> Values:
    """The plan's own line, which the cohorts and the rest add to."""
    if measure == "learning":
        return np.asarray(counted.sum(axis=0))
    return np.asarray(np.sum([months_of(view, plan, measure, (team,)) for team in teams], axis=0, dtype=float))


def _rolled(view: View, values: Values, periods: Sequence[Period], sums: bool) -> Values:
    timeline = view.snapshot.model.timeline
    found = []
    for period in periods:
        months = values[timeline.index(period.first) : timeline.index(period.last) + 1]
        found.append(months.sum() if sums else months[-1])
    return np.array(found)


def _row(
    view: View, place: int, joined: float, values: Values, periods: Sequence[Period], sums: bool, unit: str
) -> CohortRow:
    rolled = _rolled(view, values, periods, sums)
    most = float(np.abs(values).max()) or 1.0
    fullness = [0 if value == 0 else min(4, 1 + int(3 * value / most + 1e-9)) for value in rolled]
    if sums:
        most = float(rolled.max()) or 1.0
        fullness = [0 if value == 0 else min(4, 1 + int(3 * value / most + 1e-9)) for value in rolled]
    cells = tuple((_shown(float(v), unit) if v else "", full) for v, full in zip(rolled, fullness, strict=True))
    end = float(rolled.sum()) if sums else float(rolled[-1])
    return CohortRow(
        view.snapshot.model.timeline.months[place].label,
        formats.plain_number(joined, 1),
        cells,
        _shown(end, unit),
    )


def _shown(value: float, unit: str) -> str:
    """A figure of the triangle: heads all with one decimal, so that they stand under one another."""
    return formats.plain_number(value, 1) if unit == "heads" else formats.cell(value, unit)
