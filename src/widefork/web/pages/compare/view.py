"""Cases side by side, as plain data."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.compare import compare
from widefork.core.analysis.figures import Answer
from widefork.core.figures import Figure
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.charts.fork_chart import ForkChart, fork_chart
from widefork.web.shared.context import View
from widefork.web.shared.frame import answer_label, drawn_cases, figure_url
from widefork.web.shared.weights import weighted_text, weighted_words

SIZE = (1020, 300)
CHARTED = "cash_after_overdraft"


@dataclass(frozen=True, kw_only=True)
class CaseColumn:
    """A case as a column; the yardstick has no difference."""

    name: str
    label: str
    style: int
    is_yardstick: bool
    is_active: bool


@dataclass(frozen=True, kw_only=True)
class FigureCell:
    """A figure's answer in one case; ``month`` says when, for a lowest or highest."""

    text: str
    month: str
    difference: str
    url: str


@dataclass(frozen=True, kw_only=True)
class FigureRow:
    """A figure over all cases."""

    name: str
    label: str
    is_pinned: bool
    cells: tuple[FigureCell, ...]
    weighted: str
    weighted_words: str


@dataclass(frozen=True, kw_only=True)
class Compare:
    """The whole page. ``lines`` are (name, label) to choose a figure's line from."""

    chart: ForkChart
    chart_label: str
    columns: tuple[CaseColumn, ...]
    rows: tuple[FigureRow, ...]
    has_weights: bool
    choices: tuple[tuple[str, str, bool], ...]
    yardstick: str
    lines: tuple[tuple[str, str], ...]
    first: str
    last: str


def build(view: View, chosen: Sequence[str], against: str) -> Compare:
    """Return the comparison of the chosen figures (all when none is chosen) with differences to one case."""
    snapshot, model = view.snapshot, view.snapshot.model
    timeline = model.timeline
    figures = [f for f in model.figures if not chosen or f.name in chosen] or list(model.figures)
    yardstick = against if against in model.case_by_name else model.cases[0].name
    compared = compare(snapshot.results, snapshot.case_names, figures, yardstick)
    order = sorted(range(len(model.cases)), key=lambda place: model.cases[place].name != yardstick)
    drawn = drawn_cases(model, view.address.case)
    shown = [(i, model.cases[i]) for i in drawn]
    series = [(c.name, c.label, snapshot.results.series(CHARTED, (), i)) for i, c in shown]
    level = snapshot.results.series("waterline", (), view.place)
    return Compare(
        chart=fork_chart(timeline.months, timeline.actual_count, series, view.address.case, level, SIZE, places=drawn),
        chart_label=model.line(CHARTED).label,
        columns=tuple(
            CaseColumn(
                name=c.name,
                label=c.label,
                style=style_of(i),
                is_yardstick=c.name == yardstick,
                is_active=c.name == view.address.case,
            )
            for i, c in ((i, model.cases[i]) for i in order)
        ),
        rows=tuple(
            _row(view, figure, compared.answers[i], compared.difference(i), order) for i, figure in enumerate(figures)
        ),
        has_weights=any(case.weight is not None for case in model.cases),
        choices=tuple((figure.name, figure.label, figure in figures) for figure in model.figures),
        yardstick=yardstick,
        lines=tuple((line.name, line.label) for line in model.lines),
        first=str(timeline.start),
        last=str(timeline.end),
    )


def _row(view: View, figure: Figure, found: Answer, differences: NDArray[np.float64], order: list[int]) -> FigureRow:
    model = view.snapshot.model
    line = model.line(figure.line)
    cells = []
    for place in order:
        label = answer_label(figure, found, place)
        cells.append(
            FigureCell(
                text=formats.figure_text(figure, line, float(found.amounts[place])),
                month=label.removeprefix(figure.label).removeprefix(", "),
                difference=formats.figure_difference(figure, line, float(differences[place])) or "–",
                url=figure_url(view.address, figure, found, view.snapshot, model.cases[place].name),
            )
        )
    return FigureRow(
        name=figure.name,
        label=figure.label,
        is_pinned=figure.is_pinned,
        cells=tuple(cells),
        weighted=weighted_text(figure, view.snapshot),
        weighted_words=weighted_words(figure, view.snapshot),
    )
