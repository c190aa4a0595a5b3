"""Figures, lines by period and statements of all sides beside one another, as amounts or against the yardstick."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import isfinite

from widefork.core.axes import Grain, Period
from widefork.core.figures import Figure, Reduction
from widefork.core.finance.statements import CAPTION_BY_NAME, LAYOUTS, Statement
from widefork.core.lines import Line
from widefork.web.pages.compare.sides import Compared, Sides
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.frame import answer_of, figure_url
from widefork.web.shared.weights import weighted_text, weighted_words

USUAL_LINES = ("revenue", "ebitda", "net_profit", "cash_after_overdraft")
MODES = (("amounts", "amounts"), ("apart", "apart"), ("percent", "per cent apart"))
SHOWN = (
    ("figures", "figures"),
    (Statement.INCOME.value, "income"),
    (Statement.CASH_FLOW.value, "cash flow"),
    (Statement.RECEIPTS.value, "receipts"),
    (Statement.BALANCE.value, "balance"),
)
BAR = 30
"""Half the width of the bar under a cell, each way from the middle."""


@dataclass(frozen=True, kw_only=True)
class Cell:
    """A side's amount. ``bar`` is how much more (right) or less it is than the yardstick's; ``why`` why it is empty."""

    text: str
    title: str
    url: str
    x: float
    width: float
    kind: str
    is_active: bool


@dataclass(frozen=True, kw_only=True)
class Row:
    """A figure, or a line in a period. ``name`` names a figure of the model, to be pinned or removed."""

    label: str
    period: str
    name: str
    is_pinned: bool
    is_total: bool
    is_first: bool
    cells: tuple[Cell, ...]
    weighted: str = ""
    weighted_words: str = ""


@dataclass(frozen=True, kw_only=True)
class Table:
    """The whole table; ``span`` says which months it is of.

    ``periods`` head the columns of a statement, each over all sides; of figures and lines they stand in the rows.
    """

    rows: tuple[Row, ...]
    lines: tuple[Row, ...]
    periods: tuple[str, ...]
    has_weights: bool
    span: str
    bar: int


def build_table(
    view: View, sides: Sides, figures: Sequence[Figure], lines: Sequence[str], mode: str, shown: str
) -> Table:
    """Return figures and lines by period, or a statement over the months in view."""
    model = view.snapshot.model
    periods = view.address.columns(model.timeline)
    if shown != "figures":
        names = LAYOUTS[model.statements.layout].rows[Statement(shown)]
        years = (
            periods
            if view.address.grain is not Grain.MONTH
            else model.timeline.periods(
                Grain.YEAR, *model.timeline.whole(Grain.YEAR, view.address.first, view.address.last)
            )
        )
        listed = [name for name in names if name in model.line_by_name]
        return Table(
            rows=(),
            lines=_across(_rows_of_lines(view, sides, listed, years, mode, skips_nothing=True), len(years)),
            periods=tuple(year.label for year in years),
            has_weights=False,
            span=f"{years[0].label} to {years[-1].label}",
            bar=BAR,
        )
    return Table(
        rows=tuple(_figure_row(view, sides, figure, mode) for figure in figures),
        lines=_rows_of_lines(view, sides, lines, periods, mode),
        periods=(),
        has_weights=any(case.weight is not None for case in model.cases),
        span=f"{periods[0].label} to {periods[-1].label}",
        bar=BAR,
    )


def _across(rows: Sequence[Row], count: int) -> tuple[Row, ...]:
    """Rows of one line taken together: its periods, ``count`` of them, side by side."""
    return tuple(
        replace(rows[place], period="", cells=tuple(cell for row in rows[place : place + count] for cell in row.cells))
        for place in range(0, len(rows), count)
    )


def _figure_row(view: View, sides: Sides, figure: Figure, mode: str) -> Row:
    model = view.snapshot.model
    line = model.line(figure.line)
    answers = [each.side.answer(figure) for each in sides.compared]
    base = answers[0][0]
    found = answer_of(figure, view.snapshot)
    gaps = [abs(amount - base) for amount, _ in answers if isfinite(amount) and isfinite(base)]
    most = max(gaps, default=0.0)
    cells = []
    for each, (amount, month) in zip(sides.compared, answers, strict=True):
        when = (
            f"{month.label}: "
            if month is not None and figure.reduction in (Reduction.LOWEST, Reduction.HIGHEST)
            else ""
        )
        url = figure_url(view.address, figure, found, view.snapshot, each.case) if each.case else ""
        text = when + _text(figure, line, amount, base, mode, each.is_yardstick)
        cells.append(_cell(each, text, amount, base, most, url, _why(each, figure, line, amount)))
    return Row(
        label=figure.label,
        period="",
        name=figure.name,
        is_pinned=figure.is_pinned,
        is_total=False,
        is_first=True,
        cells=tuple(cells),
        weighted=weighted_text(figure, view.snapshot),
        weighted_words=weighted_words(figure, view.snapshot),
    )


def _why(each: Compared, figure: Figure, line: Line, amount: float) -> str:
    """Why a side has no answer."""
    if isfinite(amount):
        return ""
    if each.side.reads(figure.line, figure.members):
        return each.side.reads(figure.line, figure.members)
    if each.side.months_back and (figure.first is None or figure.last is None):
        return f"{figure.label} asks about the plan as a whole, so it has no year before"
    if figure.reduction.gives_month:
        return "in no month of the plan"
    return f"{each.label} does not reach those months, or {line.label} has no value there"


def _text(figure: Figure, line: Line, amount: float, base: float, mode: str, is_yardstick: bool) -> str:
    if mode == "amounts" or is_yardstick:
        if not isfinite(amount) and not figure.reduction.gives_month:
            return formats.NO_VALUE
        return formats.figure_text(figure, line, amount)
    if mode == "percent" and not figure.reduction.asks_condition:
        return _percent(amount, base)
    return formats.figure_difference(figure, line, amount - base) or "–"


def _percent(amount: float, base: float) -> str:
    """How many per cent an amount is apart from another; of one below or at 0 that says nothing."""
    if not (isfinite(amount) and isfinite(base)) or base <= 0:
        return formats.NO_VALUE if not isfinite(amount) else "n/a"
    return f"{(amount / base - 1) * 100:+,.1f} %".replace("-", "−")


def _rows_of_lines(
    view: View, sides: Sides, names: Sequence[str], periods: Sequence[Period], mode: str, skips_nothing: bool = False
) -> tuple[Row, ...]:
    model, rows = view.snapshot.model, []
    for name in names:
        line = model.line(name)
        values = [each.side.rolled(name, periods) for each in sides.compared]
        if skips_nothing and all(not isfinite(v) or v == 0 for side in values for v in side):
            continue
        caption = CAPTION_BY_NAME.get(name)
        gaps = [abs(v - b) for side in values for v, b in zip(side, values[0], strict=True) if isfinite(v - b)]
        most = max(gaps, default=0.0)
        for place, period in enumerate(periods):
            base = float(values[0][place])
            cells = []
            for each, side in zip(sides.compared, values, strict=True):
                amount = float(side[place])
                text = _line_text(line, amount, base, mode, each.is_yardstick)
                url = _roots(view, each, name, period)
                why = "" if isfinite(amount) else each.side.reads(name) or f"{each.label} does not reach {period.label}"
                cells.append(_cell(each, text, amount, base, most, url, why))
            rows.append(
                Row(
                    label=line.label,
                    period=period.label,
                    name="",
                    is_pinned=False,
                    is_total=caption is not None and caption.emphasis.value != "part",
                    is_first=place == 0,
                    cells=tuple(cells),
                )
            )
    return tuple(rows)


def _line_text(line: Line, amount: float, base: float, mode: str, is_yardstick: bool) -> str:
    if mode == "amounts" or is_yardstick or not isfinite(amount):
        return formats.cell(amount, line.unit)
    if mode == "percent" and not line.unit.startswith("%"):
        return _percent(amount, base)
    return formats.signed(amount - base, line.unit)


def _cell(each: Compared, text: str, amount: float, base: float, most: float, url: str, why: str) -> Cell:
    gap = amount - base if isfinite(amount) and isfinite(base) and not each.is_yardstick else 0.0
    width = BAR * abs(gap) / most if most else 0.0
    return Cell(
        text=text,
        title=why,
        url=url,
        x=BAR if gap >= 0 else BAR - width,
        width=width,
        kind="more" if gap >= 0 else "less",
        is_active=each.is_active,
    )


def _roots(view: View, each: Compared, line: str, period: Period) -> str:
    """Where an amount of one of the model's own cases is explained."""
    if not each.case:
        return ""
    return view.address.url("roots", case=each.case, line=line, start=period.first, end=period.last)
