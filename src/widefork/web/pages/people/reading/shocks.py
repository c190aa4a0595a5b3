"""Plans of people under shocks, as a grid: every staffing move beside every move that takes productivity."""

from collections.abc import Mapping
from dataclasses import dataclass

from widefork.core.analysis.staffing import plans_and_shocks, try_plans
from widefork.core.axes import Period
from widefork.web.pages.people.plan import TeamPlan
from widefork.web.shared import formats
from widefork.web.shared.context import View

FIGURES = (("ebitda", "EBITDA"), ("work", "work done"), ("cost", "cost of people"))


@dataclass(frozen=True)
class GridRow:
    """A plan: its cells, each with its difference to the case as it stands and whether it is the best of its column."""

    label: str
    note: str
    cells: tuple[tuple[str, str, bool], ...]


@dataclass(frozen=True, kw_only=True)
class Grid:
    """The grid over the months in view; ``figures`` are what it may show."""

    figures: tuple[tuple[str, str, str, bool], ...]
    columns: tuple[tuple[str, str], ...]
    rows: tuple[GridRow, ...]
    span: str


def build_grid(view: View, plan: TeamPlan, asked: Mapping[str, str]) -> Grid:
    """Return the grid for the ``figure`` asked for; without moves of either kind it has one row or one column."""
    figure = asked.get("figure", "")
    figures = [(word, label) for word, label in FIGURES if word == "ebitda" or plan.has(word)]
    figure = figure if figure in dict(figures) else "ebitda"
    line = "ebitda" if figure == "ebitda" else plan.name(figure)
    plans, shocks = plans_and_shocks(view.snapshot.plan, plan.given, view.address.case)
    period = Period("", "", view.address.first, view.address.last)
    tried = try_plans(view.snapshot.plan, view.address.case, plans, shocks, [line], period)
    unit, values = view.snapshot.model.line(line).unit, tried.figures[line]
    case = view.snapshot.model.case(view.address.case).label
    rows = []
    for place, move in enumerate(tried.plans):
        cells = tuple(
            (
                formats.cell(float(values[place, column]), unit),
                formats.signed(float(values[place, column] - values[0, column]), unit) if place else "",
                figure != "cost" and len(plans) > 0 and tried.best(line, column) == place,
            )
            for column in range(len(tried.shocks))
        )
        rows.append(GridRow(move.label if move else f"{case} as it stands", move.note if move else "", cells))
    return Grid(
        figures=tuple((word, label, view.address.url(figure=word), word == figure) for word, label in figures),
        columns=tuple((move.label, move.note) if move else ("no shock", "") for move in tried.shocks),
        rows=tuple(rows),
        span=f"{view.address.first.label} to {view.address.last.label}",
    )
