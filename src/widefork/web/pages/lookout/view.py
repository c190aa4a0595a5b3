"""The Lookout as plain data."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.figures import answer
from widefork.core.analysis.waterline import Reading, read_waterline
from widefork.core.axes import Month
from widefork.core.figures import Reduction
from widefork.core.graph.rollup import roll_up
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.charts.fork_chart import ForkChart, fork_chart
from widefork.web.shared.context import View
from widefork.web.shared.frame import answer_of, drawn_cases, figure_url
from widefork.web.shared.goals import GoalLine, goal_lines
from widefork.web.shared.weights import weighted_text, weighted_words

SIZE = (1036, 286)
CASH = "cash_after_overdraft"
YEARLY = ("revenue", "ebitda", "net_profit")


@dataclass(frozen=True, kw_only=True)
class CaseCard:
    """What the Lookout says of one case in words; ``first_months`` are figures that find one: label, month, address."""

    name: str
    label: str
    style: int
    is_active: bool
    note: str
    lowest: str
    lowest_month: str
    lowest_url: str
    sentence: str
    is_short: bool
    first_months: tuple[tuple[str, str, str], ...]


@dataclass(frozen=True)
class YearCell:
    """A yearly figure of a case, and where it is explained."""

    text: str
    before: str
    url: str


@dataclass(frozen=True, kw_only=True)
class YearRow:
    """One line of one case by fiscal year."""

    label: str
    case: str
    style: int
    is_active: bool
    cells: tuple[YearCell, ...]


@dataclass(frozen=True, kw_only=True)
class OverviewRow:
    """A case in the overview: each figure with where it is explained."""

    label: str
    style: int
    is_active: bool
    url: str
    weight: str
    cells: tuple[tuple[str, str], ...]


@dataclass(frozen=True, kw_only=True)
class Overview:
    """The pinned figures of all cases. ``columns`` are (label, address that sorts by it, whether it is sorted so)."""

    columns: tuple[tuple[str, str, bool], ...]
    rows: tuple[OverviewRow, ...]
    has_weights: bool
    weighted: tuple[str, ...]
    weighted_words: str


@dataclass(frozen=True, kw_only=True)
class Lookout:
    """The whole page. ``years`` are (label, words beside it)."""

    chart: ForkChart
    chart_words: str
    cards: tuple[CaseCard, ...]
    overview: Overview | None
    years: tuple[tuple[str, str], ...]
    groups: tuple[tuple[str, tuple[YearRow, ...]], ...]
    actual_words: str
    goals: tuple[GoalLine, ...]


def build(view: View, sort: str = "") -> Lookout:
    """Return the page's data; ``sort`` names the figure the overview is sorted by."""
    snapshot = view.snapshot
    timeline = snapshot.model.timeline
    results = snapshot.results
    cases, drawn = snapshot.model.cases, drawn_cases(snapshot.model, view.address.case)
    series = [(cases[place].name, cases[place].label, results.series(CASH, (), place)) for place in drawn]
    level = results.series("waterline", (), view.place)
    chart = fork_chart(timeline.months, timeline.actual_count, series, view.address.case, level, SIZE, places=drawn)
    years = timeline.fiscal_years()
    words = []
    for year in years:
        actual = sum(timeline.is_actual(year.first.plus(i)) for i in range(len(year)))
        said = f"{actual} of {len(year)} months actual" if actual else "plan"
        words.append(f"{year.note}, {f'{actual} actual' if actual else 'plan'}" if year.is_cut else said)
    count = "all cases" if len(drawn) == len(cases) else f"{len(drawn)} of {len(cases)} cases"
    return Lookout(
        chart=chart,
        chart_words=f"{count} over the whole plan",
        cards=tuple(_card(view, place) for place in drawn),
        overview=_overview(view, sort) if len(cases) > 1 else None,
        years=tuple((year.label, note) for year, note in zip(years, words, strict=True)),
        groups=tuple((snapshot.model.line(name).label, _rows(view, name, drawn)) for name in YEARLY),
        goals=goal_lines(view),
        actual_words=f"actual to {timeline.last_actual.label}" if timeline.last_actual else "",
    )


def _overview(view: View, sort: str) -> Overview | None:
    """All cases, the largest of the chosen figure first, those without a value last."""
    snapshot, model = view.snapshot, view.snapshot.model
    figures = [figure for figure in model.figures if figure.is_pinned]
    if not figures:
        return None
    chosen = next((figure for figure in figures if figure.name == sort), figures[0])
    amounts = answer_of(chosen, snapshot).amounts
    order = sorted(
        range(len(model.cases)), key=lambda place: -amounts[place] if np.isfinite(amounts[place]) else np.inf
    )
    rows = []
    for place in order:
        case, cells = model.cases[place], []
        for figure in figures:
            found, line = answer_of(figure, snapshot), model.line(figure.line)
            text = formats.figure_text(figure, line, float(found.amounts[place]))
            cells.append((text, figure_url(view.address, figure, found, snapshot, case.name)))
        rows.append(
            OverviewRow(
                label=case.label,
                style=style_of(place),
                is_active=case.name == view.address.case,
                url=view.address.url(case=case.name),
                weight="" if case.weight is None else f"{case.weight * 100:g} %",
                cells=tuple(cells),
            )
        )
    weighted = tuple(weighted_text(figure, snapshot) for figure in figures)
    return Overview(
        columns=tuple((figure.label, view.address.url(sort=figure.name), figure is chosen) for figure in figures),
        rows=tuple(rows),
        has_weights=any(case.weight is not None for case in model.cases),
        weighted=weighted if any(weighted) else (),
        weighted_words=weighted_words(chosen, snapshot),
    )


def _rows(view: View, name: str, drawn: Sequence[int]) -> tuple[YearRow, ...]:
    snapshot = view.snapshot
    years = snapshot.model.timeline.fiscal_years()
    line = snapshot.model.line(name)
    values = roll_up(snapshot.results, name, years)
    earlier = roll_up(view.before.results, name, years) if view.before else None
    rows = []
    for place in drawn:
        case, cells = snapshot.model.cases[place], []
        for column, year in enumerate(years):
            value = float(values[column, place])
            was = ""
            if earlier is not None and view.before is not None and case.name in view.before.case_names:
                old = float(earlier[column, view.before.place(case.name)])
                was = formats.amount(old, line.unit) if not np.isclose(old, value, atol=0.5) else ""
            url = view.address.url("roots", case=case.name, line=name, start=year.first, end=year.last)
            cells.append(YearCell(formats.cell(value, line.unit), was, url))
        rows.append(
            YearRow(
                label=line.label,
                case=case.label,
                style=style_of(place),
                is_active=case.name == view.address.case,
                cells=tuple(cells),
            )
        )
    return tuple(rows)


def _card(view: View, place: int) -> CaseCard:
    snapshot = view.snapshot
    case = snapshot.model.cases[place]
    reading = read_waterline(snapshot.results, place)
    unit = snapshot.model.currency
    month = reading.lowest_month if reading else snapshot.model.timeline.end
    return CaseCard(
        name=case.name,
        label=case.label,
        style=style_of(place),
        is_active=case.name == view.address.case,
        note=case.note,
        lowest=formats.amount(reading.lowest, unit) if reading else formats.NO_VALUE,
        lowest_month=month.label if reading else "",
        lowest_url=view.address.url("roots", case=case.name, line=CASH, start=month, end=month),
        sentence=waterline_words(reading, unit),
        is_short=bool(reading and reading.is_short),
        first_months=tuple(
            (figure.label, text, figure_url(view.address, figure, found, snapshot, case.name))
            for figure in snapshot.model.figures
            if figure.reduction is Reduction.FIRST_MONTH and figure.is_pinned
            for found in (answer(figure, snapshot.results),)
            for text in (formats.figure_text(figure, snapshot.model.line(figure.line), float(found.amounts[place])),)
        ),
    )


def waterline_words(reading: Reading | None, currency: str) -> str:
    """Return a case's liquidity as a sentence."""
    if reading is None:
        return "Cash cannot be computed; see the lines with a mistake in Drivers."
    if not reading.is_short:
        return f"Always above the waterline; {formats.amount(reading.room, currency)} of room at the tightest."
    months = f"{reading.months_under} month{'s' if reading.months_under > 1 else ''}"
    back = f"above again from {_label(reading.back_above)}" if reading.back_above else "not back above by the end"
    return (
        f"Under the waterline from {_label(reading.first_under)} for {months}, "
        f"short by {formats.amount(-reading.room, currency)} in {reading.lowest_month.label}; {back}."
    )


def _label(month: Month | None) -> str:
    return month.label if month else ""
