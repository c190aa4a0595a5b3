"""A statement as plain data: rows of captions and what posts to them, months and fiscal years, and the waterline."""

from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.waterline import read_waterline
from widefork.core.axes import Grain, Period
from widefork.core.finance.statements import CAPTIONS, CHECKS, Caption, Emphasis, Statement
from widefork.core.graph.rollup import roll_up
from widefork.web.shared import formats
from widefork.web.shared.charts.fork_chart import ForkChart, fork_chart
from widefork.web.shared.context import View

LABEL_WIDTH, YEAR_WIDTH = 196, 66
CHART_HEIGHT = 176
TIE_TOLERANCE = 1e-6
TABS = ((Statement.INCOME, "Income"), (Statement.CASH_FLOW, "Cash flow"), (Statement.BALANCE, "Balance"))


@dataclass(frozen=True)
class Column:
    """A period, or a fiscal year at the right."""

    key: str
    label: str
    is_actual: bool
    is_edge: bool
    is_year: bool


@dataclass(frozen=True)
class Cell:
    """A figure and where it is explained; ``moved`` is what the latest edit did to it."""

    id: str
    text: str
    before: str
    moved: str
    url: str
    column: Column


@dataclass(frozen=True)
class Row:
    """A caption (``depth`` 0) or a line posted to it (1)."""

    label: str
    depth: int
    emphasis: str
    subtracts: bool
    cells: tuple[Cell, ...]


@dataclass(frozen=True)
class StatementSheet:
    """The whole page. ``ties`` says whether the checks hold in every month of every case."""

    columns: tuple[Column, ...]
    rows: tuple[Row, ...]
    tabs: tuple[tuple[str, str, str], ...]
    chart: ForkChart | None
    column_width: int
    width: int
    reading: tuple[str, ...]
    short_label: str
    ties: bool
    tie_words: str
    rooms: tuple[tuple[str, str], ...]


def build(view: View, statement: Statement) -> StatementSheet:
    """Return a statement over the visible columns and the fiscal years they touch."""
    timeline = view.snapshot.model.timeline
    periods = view.address.columns(timeline)
    years = tuple(y for y in timeline.fiscal_years() if y.first <= view.address.last and y.last >= view.address.first)
    if view.address.grain is Grain.YEAR:
        years = ()
    columns = _columns(view, periods, years)
    rows = tuple(
        row
        for caption in CAPTIONS
        if caption.statement is statement
        for row in _rows(view, caption, columns, (*periods, *years))
    )
    longest = max(len(cell.text) for row in rows for cell in row.cells if not cell.column.is_year)
    width = 47 if longest <= 8 else 58 if longest <= 10 else 72
    chart = _chart(view, periods, width, len(years)) if view.address.grain is Grain.MONTH and len(periods) > 1 else None
    ties, tie_words = _ties(view)
    return StatementSheet(
        columns,
        rows,
        tuple((s.value, label, view.address.url(show=s.value)) for s, label in TABS),
        chart,
        width,
        LABEL_WIDTH + width * len(periods) + YEAR_WIDTH * len(years),
        _reading(view),
        _short_label(view),
        ties,
        tie_words,
        _rooms(view),
    )


def _ties(view: View) -> tuple[bool, str]:
    """Whether the checks hold in every month of every case, and what to say of it."""
    results = view.snapshot.results
    gaps = np.concatenate([np.abs(results.values(name)).ravel() for name in CHECKS])
    if not np.isfinite(gaps).all():
        return False, "they cannot be computed in every month"
    size = max(1.0, float(np.abs(results.values("total_assets")).max()))
    worst = float(gaps.max())
    if worst <= TIE_TOLERANCE * size:
        return True, "all three tie in every month"
    return False, f"they differ by up to {formats.amount(worst, view.snapshot.model.currency)}"


def _columns(view: View, periods: tuple[Period, ...], years: tuple[Period, ...]) -> tuple[Column, ...]:
    timeline = view.snapshot.model.timeline
    columns = []
    was_actual = False
    for period in periods:
        actual = timeline.is_actual(period.last)
        columns.append(Column(period.key, period.label, actual, was_actual and not actual, False))
        was_actual = actual
    return (*columns, *(Column(f"{year.key}-total", year.label, False, False, True) for year in years))


def _rows(view: View, caption: Caption, columns: tuple[Column, ...], periods: tuple[Period, ...]) -> list[Row]:
    own = _row(view, caption.name, caption.label, 0, caption.emphasis, caption.subtracts, columns, periods)
    posted = [line for line in view.snapshot.model.lines if line.posts_to == caption.name]
    if len(posted) < 2:
        return [own]
    parts = [_row(view, line.name, line.label, 1, Emphasis.PART, False, columns, periods) for line in posted]
    return [own, *parts]


def _row(
    view: View,
    name: str,
    label: str,
    depth: int,
    emphasis: Emphasis,
    subtracts: bool,
    columns: tuple[Column, ...],
    periods: tuple[Period, ...],
) -> Row:
    unit = view.snapshot.model.line(name).unit
    now = roll_up(view.snapshot.results, name, periods)[:, view.place]
    before = now
    if (
        view.before is not None
        and name in view.before.model.line_by_name
        and view.address.case in view.before.case_names
    ):
        before = roll_up(view.before.results, name, periods)[:, view.before.place(view.address.case)]
    cells = []
    for column, period, value, old in zip(columns, periods, now, before, strict=True):
        moved = abs(value - old) >= 0.5
        url = view.address.url("roots", line=name, start=period.first, end=period.last)
        cells.append(
            Cell(
                f"s-{name}-{column.key}",
                formats.cell(float(value), unit),
                formats.cell(float(old), unit) if moved else "",
                formats.signed(float(value - old), unit) if moved else "",
                url,
                column,
            )
        )
    return Row(label, depth, emphasis.value, subtracts, tuple(cells))


def _chart(view: View, periods: tuple[Period, ...], width: int, years: int) -> ForkChart:
    snapshot = view.snapshot
    timeline = snapshot.model.timeline
    span = timeline.span(view.address.first, view.address.last)
    months = timeline.months[span]
    series = [
        (case.name, case.label, snapshot.results.series("cash_after_overdraft", (), place)[span])
        for place, case in enumerate(snapshot.model.cases)
    ]
    actual = sum(timeline.is_actual(month) for month in months)
    xs = [LABEL_WIDTH + width * (place + 0.5) for place in range(len(periods))]
    level = snapshot.results.series("waterline", (), view.place)[span]
    total = LABEL_WIDTH + width * len(periods)
    aside = max(YEAR_WIDTH * years, 132)
    return fork_chart(
        months,
        actual,
        series,
        view.address.case,
        level,
        (total + aside, CHART_HEIGHT),
        (LABEL_WIDTH, aside, 12, 12),
        xs,
    )


def _reading(view: View) -> tuple[str, ...]:
    reading = read_waterline(view.snapshot.results, view.place)
    model = view.snapshot.model
    plan = model.timeline.month_count - model.timeline.actual_count
    label = model.case(view.address.case).label
    if reading is None:
        return (f"{label}: cash cannot be computed",)
    if reading.is_short:
        return (f"{label}: under in {reading.months_under}", f"of the {plan} months planned")
    return (f"{label}: never under", f"in the {plan} months planned")


def _short_label(view: View) -> str:
    reading = read_waterline(view.snapshot.results, view.place)
    if reading is None or not reading.is_short:
        return ""
    return f"short by {formats.amount(-reading.room, view.snapshot.model.currency)} in {reading.lowest_month.label}"


def _rooms(view: View) -> tuple[tuple[str, str], ...]:
    """Every case's room or gap in words, by case name."""
    words = []
    for place, case in enumerate(view.snapshot.model.cases):
        reading = read_waterline(view.snapshot.results, place)
        if reading is None:
            words.append((case.name, "no value"))
        else:
            verb = "short" if reading.is_short else "clear"
            size = formats.amount(abs(reading.room), view.snapshot.model.currency)
            words.append((case.name, f"{verb} by {size}, {reading.lowest_month.label}"))
    return tuple(words)
