"""Movement, cost and work of teams as tables over the period in view."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from widefork.core.finance.schedules.people.ramps import ramp_weights
from widefork.core.lines import MemberKey
from widefork.web.pages.people.plan import TeamPlan, months_of, teams_allowed
from widefork.web.pages.people.reading.chart import PlanChart, build_chart
from widefork.web.shared import formats
from widefork.web.shared.charts.spark import spark
from widefork.web.shared.context import View
from widefork.web.shared.period_table import Cell, Columns, cells_of, columns_of

MOVEMENT = (
    ("opening", "", "at the beginning"), ("hires", "+", "hired"), ("returns", "+", "returned"),
    ("moved_in", "+", "moved in"), ("moved_out", formats.MINUS, "moved out"), ("left", formats.MINUS, "left"),
    ("let_go", formats.MINUS, "let go"), ("heads", "=", "at the end"), ("full_time", "", "in full time"),
    ("learning", "", "not yet ramped"), ("not_there", "", "to be let go, but not there"),
    ("short", "", "ramped heads short"),
)  # fmt: skip
COST = (
    ("pay", "+", "pay"), ("bonus", "+", "bonus and commission"), ("charges", "+", "employer's charges"),
    ("benefits", "+", "benefits"), ("hiring", "+", "hiring"), ("equipping", "+", "equipping"),
    ("letting_go", "+", "letting go"), ("training", "+", "training"), ("cost", "=", "cost of people"),
    ("cost_per_head", "", "cost per head"), ("turnover", "", "cost of those who left"),
)  # fmt: skip
WORK = (
    ("wanted", "", "wanted"), ("capacity", "", "can be done"), ("helped", "+", "by the same role elsewhere"),
    ("taken_on", "+", "by stretching"), ("work", "=", "done"), ("undone", "", "wanted and not done"),
    ("utilisation", "", "utilisation"), ("productivity", "", "productivity"), ("needed", "", "ramped heads needed"),
    ("short", "", "ramped heads short"), ("work_per_head", "", "done per head"), ("cost_per_work", "", "cost of one"),
)  # fmt: skip
TOTALS = ("revenue_per_head", "profit_per_head")
ONLY_IF_ANY = frozenset(
    ("returns", "let_go", "not_there", "short", "helped", "taken_on", "undone", "bonus", "benefits", "equipping",
     "letting_go", "hiring", "training", "moved_in", "moved_out")
)  # fmt: skip
TABLES = {"movement": MOVEMENT, "cost": COST, "work": WORK}


@dataclass(frozen=True, kw_only=True)
class Row:
    """A row of a table; ``sign`` says whether it adds, takes away or is the sum."""

    label: str
    unit: str
    sign: str
    cells: tuple[Cell, ...]
    course: str = ""
    url: str = ""


@dataclass(frozen=True, kw_only=True)
class Table:
    """A table over the period in view, and a part of it by team; ``gaps`` are heads beyond what teams are allowed.

    ``wants_demand``: the table is about work, and nothing says what is wanted.
    """

    rows: tuple[Row, ...]
    by_team: tuple[Row, ...]
    by_team_label: str
    gaps: tuple[Row, ...]
    columns: Columns
    chart: PlanChart | None
    wants_demand: bool
    notices: tuple[str, ...]


def build_table(shows: str, view: View, plan: TeamPlan, asked: Mapping[str, str]) -> Table:
    """Return one of the tables, of the ``team`` asked for or of all."""
    team = asked.get("team", "")
    columns, members = columns_of(view), ((team,) if team else ())
    rows = []
    for part, sign, label in TABLES[shows]:
        if not plan.has(part) or (part in ONLY_IF_ANY and not any(np.abs(months_of(view, plan, part, members)) > 1e-9)):
            continue
        rows.append(_row(view, plan, part, label, sign, columns, members))
    if shows == "cost" and not team:
        rows += [_row(view, plan, part, _label(view, plan, part), "", columns, ()) for part in TOTALS]
    main = {"movement": "heads", "cost": "cost", "work": "utilisation"}[shows]
    by_team: tuple[Row, ...] = ()
    if not team and plan.has(main):
        by_team = tuple(
            _row(view, plan, main, name, "", columns, (name,), view.address.url(team=name)) for name in plan.teams
        )
    gaps = tuple(
        _row(view, plan, "team_gap", name, "", columns, (name,), view.address.url(team=name))
        for name in teams_allowed(plan)
        if shows == "movement" and team in ("", name)
    )
    return Table(
        rows=tuple(rows),
        by_team=by_team,
        by_team_label=main,
        gaps=gaps,
        columns=columns,
        chart=build_chart(view, plan, shows, team),
        wants_demand=shows == "work" and not plan.has("work"),
        notices=_notices(view, plan),
    )


def _row(
    view: View, plan: TeamPlan, part: str, label: str, sign: str, columns: Columns, members: MemberKey, url: str = ""
) -> Row:
    line = view.snapshot.model.line(plan.name(part))
    course = ""
    if url:
        span = view.snapshot.model.timeline.span(view.address.first, view.address.last)
        months = np.array(months_of(view, plan, part, members)[span])
        course = spark(months, None, None).now if len(months) > 1 else ""
    return Row(
        label=label,
        unit=line.unit,
        sign=sign,
        cells=cells_of(view, line.name, columns, members=members),
        course=course,
        url=url,
    )


def _label(view: View, plan: TeamPlan, part: str) -> str:
    return view.snapshot.model.line(plan.name(part)).label.partition(": ")[2]


def _notices(view: View, plan: TeamPlan) -> tuple[str, ...]:
    """What is capped, and why: more to be let go than are there; and what was perhaps forgotten: a ramp."""
    found = list(plan.draft.notices)
    for team in plan.teams:
        can_do, hired = (months_of(view, plan, part, (team,)) for part in ("capacity_of_team", "hires"))
        if any(can_do) and any(hired) and len(ramp_weights(plan.draft, team)) == 1:
            found.append(
                f"{team}: people are hired without a ramp, and count in full from their first month. Say under Teams "
                "how many months it takes."
            )
        months = months_of(view, plan, "not_there", (team,))
        place = next((place for place, value in enumerate(months) if value > 1e-9), None)
        if place is not None:
            month = view.snapshot.model.timeline.months[place].label
            found.append(
                f"{team}: {formats.plain_number(months[place], 1)} more were to be let go in {month} than are there. "
                "Nobody beyond that is let go; lower it under Drivers, or move it."
            )
    return tuple(found)
