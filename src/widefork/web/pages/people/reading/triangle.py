"""The cohort view: joining month against month, in heads, capacity or money, folding into the plan's own line."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.cohorts import cohorts_of
from widefork.core.finance.schedules.people.ramps import HIRED, RETURNED, ramp_weights
from widefork.web.pages.people.plan import TeamPlan, months_of
from widefork.web.shared.context import View
from widefork.web.shared.triangle import Joined, Triangle, build_triangle

MEASURES = (
    ("ramped", "ramped heads"),
    ("heads", "heads joined"),
    ("capacity", "what they can do"),
    ("learning", "pay while not yet ramped"),
)
TOTALS = {"ramped": "ramped heads", "heads": "heads", "capacity": "can be done", "learning": ""}
"""The plan's own line by measure; nothing there before is learning."""
Values = NDArray[np.float64]


@dataclass(frozen=True)
class TeamCohorts:
    """The view; ``measures`` are (in words, address, is open)."""

    measures: tuple[tuple[str, str, bool], ...]
    triangle: Triangle


def build_cohorts(view: View, plan: TeamPlan, asked: Mapping[str, str]) -> TeamCohorts:
    """Return the cohorts of a team, or of all teams together, by month of joining, in the ``measure`` asked for."""
    team, measure = asked.get("team", ""), asked.get("measure", "")
    measure = measure if measure in dict(MEASURES) else MEASURES[0][0]
    teams = (team,) if team else plan.teams.members
    timeline = view.snapshot.model.timeline
    joined, counted = np.zeros(timeline.month_count), np.zeros((timeline.month_count, timeline.month_count))
    for member in teams:
        each = _worth(view, plan, member, measure)
        for flow, part in (("hires", HIRED), ("returns", RETURNED)):
            joins = np.array(months_of(view, plan, flow, (member,)))
            joined += joins
            for cohort in cohorts_of(joins, _weights(plan, member, part, measure), each):
                counted[cohort.place] += cohort.values
    cohorts = [
        Joined(
            label=timeline.months[place].label,
            first=timeline.months[place],
            count=float(joined[place]),
            months=counted[place],
        )
        for place in map(int, np.flatnonzero(joined))
    ]
    is_sum = measure in ("capacity", "learning")
    total = counted.sum(axis=0) if measure == "learning" else _own_line(view, plan, teams, measure)
    rest = "there before, less who left" if TOTALS[measure] else ""
    return TeamCohorts(
        tuple((label, view.address.url(measure=word), word == measure) for word, label in MEASURES),
        build_triangle(view, cohorts, total, (rest, TOTALS[measure]), _unit(view, plan, measure), is_sum),
    )


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


def _own_line(view: View, plan: TeamPlan, teams: Sequence[str], measure: str) -> Values:
    """The plan's own line, which the cohorts and the rest add to."""
    return np.asarray(np.sum([months_of(view, plan, measure, (team,)) for team in teams], axis=0, dtype=float))
