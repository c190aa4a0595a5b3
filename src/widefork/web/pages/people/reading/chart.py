"""The chart above a table of people: what is planned beside what is allowed, or wanted, over the table's months."""

from dataclasses import dataclass, replace

import numpy as np

from widefork.core.graph.rollup import roll_up
from widefork.web.pages.people.plan import TeamPlan, teams_allowed
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import Scale, path, round_ticks
from widefork.web.shared.context import View
from widefork.web.shared.period_table import columns_of

CURVES = {
    "movement": (
        ("heads", "heads", "lead"),
        ("ramped", "ramped", "thin"),
        ("heads_allowed", "allowed", "dashed"),
        ("allowed", "allowed", "dashed"),
    ),
    "cost": (("cost", "cost of people", "lead"), ("cost_allowed", "allowed", "dashed")),
    "work": (("work", "done", "lead"), ("capacity", "can be done", "thin"), ("wanted", "wanted", "dashed")),
}
"""By table: the part, its name at the left, and how it is drawn. What is planned or done leads."""
FOR_ALL_ONLY = frozenset(("heads_allowed", "cost_allowed"))
LABEL_WIDTH, COLUMN, YEAR, HEIGHT = 248, 58, 66, 132
"""Widths of the table under the chart, in pixels: its two columns of words, a month, a year."""


@dataclass(frozen=True, kw_only=True)
class Curve:
    """A line of the chart, named at its beginning."""

    label: str
    path: str
    y: float
    style: str


@dataclass(frozen=True, kw_only=True)
class PlanChart:
    """The chart; ``ticks`` are (amount, y)."""

    curves: tuple[Curve, ...]
    ticks: tuple[tuple[str, float], ...]
    width: int
    right: int
    height: int

    @property
    def words(self) -> str:
        """What is drawn, for those who do not see it."""
        return f"{', '.join(curve.label for curve in self.curves)} over the months in view"


def build_chart(view: View, plan: TeamPlan, shows: str, team: str) -> PlanChart | None:
    """Return the chart of a table; None for one period only, for a line without values, or with nothing to compare."""
    columns = columns_of(view)
    members = (team,) if team else ()
    series = {
        (label, style): [
            float(v) for v in roll_up(view.snapshot.results, plan.name(part), columns.periods, members)[:, view.place]
        ]
        for part, label, style in CURVES[shows]
        if plan.has(part)
        and not (team and part in FOR_ALL_ONLY)
        and not (part == "allowed" and team not in teams_allowed(plan))
    }
    if len(columns.periods) < 2 or len(series) < 2 or not np.isfinite(list(series.values())).all():
        return None
    least, most = (pick(value for values in series.values() for value in values) for pick in (min, max))
    # Where everything stands far above nothing, the gaps are what is to be seen.
    levels = round_ticks(least if least > most / 2 else min(least, 0.0), most, 3)
    y = Scale(low=levels[0], high=levels[-1], start=HEIGHT - 14, end=12)
    xs = [LABEL_WIDTH + COLUMN * (place + 0.5) for place in range(len(columns.periods))]
    curves: list[Curve] = []
    for (label, style), values in sorted(series.items(), key=lambda one: -one[1][0]):
        at = y(values[0]) + 4
        drawn = path([(x, y(value)) for x, value in zip(xs, values, strict=True)])
        curves.append(Curve(label=label, path=drawn, y=max(at, curves[-1].y + 13) if curves else at, style=style))
    below = max(0.0, curves[-1].y - (HEIGHT - 4))
    curves = [replace(curve, y=curve.y - below) for curve in curves]
    unit = view.snapshot.model.line(plan.name(CURVES[shows][0][0])).unit
    ticks = tuple((formats.amount(level, unit), y(level)) for level in levels)
    right = LABEL_WIDTH + COLUMN * len(xs)
    return PlanChart(
        curves=tuple(curves), ticks=ticks, width=right + YEAR * len(columns.years), right=right, height=HEIGHT
    )
