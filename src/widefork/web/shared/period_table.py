"""Tables of lines over the visible periods, as plain data: statements, schedules and ratios are all shown so."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import isnan

from widefork.core.axes import Grain, Period
from widefork.core.graph.model import Model
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import MemberKey
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.wording import no_total


@dataclass(frozen=True, kw_only=True)
class Column:
    """A period, or a fiscal year at the right; ``note`` says which part of it is here, where it is not whole."""

    key: str
    label: str
    note: str
    is_actual: bool
    is_edge: bool
    is_year: bool


@dataclass(frozen=True, kw_only=True)
class Cell:
    """A figure and where it is explained; ``moved`` is what the latest edit did to it.

    ``why`` says why it stays empty.
    """

    id: str
    value: float
    text: str
    before: str
    moved: str
    url: str
    column: Column
    why: str = ""


@dataclass(frozen=True)
class Columns:
    """The visible periods and the fiscal years they touch."""

    periods: tuple[Period, ...]
    years: tuple[Period, ...]
    columns: tuple[Column, ...]

    @property
    def all(self) -> tuple[Period, ...]:
        """Every column's period."""
        return (*self.periods, *self.years)


def columns_of(view: View) -> Columns:
    """Return the columns of the period in view, with its fiscal years behind unless they are the columns."""
    timeline = view.snapshot.model.timeline
    periods = view.address.columns(timeline)
    years = tuple(y for y in timeline.fiscal_years() if y.first <= view.address.last and y.last >= view.address.first)
    if view.address.grain is Grain.YEAR:
        years = ()
    columns = []
    was_actual = False
    for period in periods:
        actual = timeline.is_actual(period.last)
        columns.append(
            Column(
                key=period.key,
                label=period.label,
                note=period.note,
                is_actual=actual,
                is_edge=was_actual and not actual,
                is_year=False,
            )
        )
        was_actual = actual
    at_end = (
        Column(key=f"{year.key}-total", label=year.label, note=year.note, is_actual=False, is_edge=False, is_year=True)
        for year in years
    )
    return Columns(periods, years, (*columns, *at_end))


def values_of(view: View, name: str, periods: Sequence[Period], members: MemberKey = ()) -> list[float]:
    """Return a line of the active case, or one of its members, rolled up to periods, in its unit."""
    return [float(value) for value in roll_up(view.snapshot.results, name, periods, members)[:, view.place]]


def cells_of(view: View, name: str, table: Columns, unit_of: float = 1.0, members: MemberKey = ()) -> tuple[Cell, ...]:
    """Return a line's cells, with what the latest edit moved.

    Parameters
    ----------
    unit_of : shown in so many units of currency, such as 1,000; amounts in other units stand as they are.
    members : one member for each dimension; () takes them together, as the line says.
    """
    line = view.snapshot.model.line(name)
    now = values_of(view, name, table.all, members)
    before = now
    earlier = view.before
    if earlier is not None and view.address.case in earlier.case_names and _has(earlier.model, name, members):
        place = earlier.place(view.address.case)
        before = [float(value) for value in roll_up(earlier.results, name, table.all, members)[:, place]]
    scale = unit_of if line.unit == view.snapshot.model.currency else 1.0
    explained = view.address.url("roots", line=name, at="/".join(members))
    place_of = "-".join((name, *members)).replace(" ", "_")
    cells, timeline = [], view.snapshot.model.timeline
    for column, period, value, old in zip(table.columns, table.all, now, before, strict=True):
        moved = formats.cell(value, line.unit) != formats.cell(old, line.unit)
        why = no_total(line, members, period.first, period.last, timeline) if isnan(value) else ""
        cells.append(
            Cell(
                id=f"s-{place_of}-{column.key}",
                value=value,
                text="" if why else formats.cell(value / scale, line.unit if scale == 1 else "EUR"),
                before=formats.cell(old, line.unit) if moved else "",
                moved=formats.signed(value - old, line.unit) if moved else "",
                url=f"{explained}&start={period.first}&end={period.last}",
                column=column,
                why=why,
            )
        )
    return tuple(cells)


def _has(model: Model, name: str, members: MemberKey) -> bool:
    """Whether a model has a line, with these members."""
    line = model.line_by_name.get(name)
    return line is not None and (not members or members in model.keys_of(line))
