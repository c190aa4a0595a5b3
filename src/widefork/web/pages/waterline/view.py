"""The Waterline as plain data: the answer, the table of receipts and payments with its bars, and the steps taken."""

from dataclasses import dataclass

from widefork.core.analysis.waterline import MONEY, Reading, read_waterline
from widefork.core.axes import Grain
from widefork.web.pages.waterline.answer import Answer, build_answer
from widefork.web.pages.waterline.asks import Act, Adding, build_act, build_adding
from widefork.web.pages.waterline.bars import LABEL_WIDTH, Bar, build_bars
from widefork.web.pages.waterline.rows import Row, build_rows
from widefork.web.pages.waterline.steps import Stairs, build_stairs
from widefork.web.pages.waterline.weeks import WeeksSheet, build_weeks
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.charts.cash_chart import cash_chart, rooms
from widefork.web.shared.charts.fork_chart import ForkChart
from widefork.web.shared.context import View
from widefork.web.shared.period_table import Column, columns_of

YEAR_WIDTH, CHART_HEIGHT = 66, 160


@dataclass(frozen=True, kw_only=True)
class CaseRow:
    """What is said of a case."""

    name: str
    label: str
    style: int
    url: str
    is_active: bool
    cells: tuple[str, ...]
    is_short: bool


@dataclass(frozen=True, kw_only=True)
class Waterline:
    """The whole page."""

    columns: tuple[Column, ...]
    rows: tuple[Row, ...]
    bars: tuple[Bar, ...]
    bars_zero: float
    chart: ForkChart | None
    rooms: tuple[tuple[str, str], ...]
    reading: tuple[str, ...]
    answer: Answer
    cases: tuple[CaseRow, ...]
    stairs: Stairs | None
    act: Act | None
    adding: Adding | None
    money: tuple[tuple[str, str, str], ...]
    level: str
    level_words: str
    under_way: tuple[tuple[str, str, bool], ...]
    under_way_days: int
    weeks: WeeksSheet | None
    weeks_url: str
    months_url: str
    is_empty: bool
    has_past: bool
    shows_list: bool
    list_url: str
    width: float
    column_width: int
    label_width: int = LABEL_WIDTH


def build(
    view: View, fold: frozenset[str], act: str, add: str, shows_weeks: bool, shows_list: bool = False
) -> Waterline:
    """Return the page.

    Parameters
    ----------
    fold : kinds whose lines are shown. act : a payment to do something about. add : a way of adding money.
    shows_list : the list of usual receipts and outgoings is shown too.
    """
    table = columns_of(view)
    rows = build_rows(view, table, fold, act)
    longest = max((len(c.text) for row in rows for c in row.cells if not c.column.is_year), default=0)
    step = 48 if longest <= 8 else 58 if longest <= 10 else 72
    bars, zero = build_bars(view, table, step, fold)
    model = view.snapshot.model
    has_chart = view.address.grain is Grain.MONTH and len(table.periods) > 1
    chart = None
    if has_chart and not shows_weeks:
        years = YEAR_WIDTH * len(table.years)
        chart = cash_chart(view, table.periods, CHART_HEIGHT, LABEL_WIDTH, step, step / 2, years)
    answer = build_answer(view)
    level = model.liquidity.level
    posted = [line for line in model.lines if not line.is_generated and line.posts_to]
    is_empty = not posted and not model.schedules
    return Waterline(
        columns=table.columns,
        rows=rows,
        bars=bars,
        bars_zero=zero,
        chart=chart,
        rooms=rooms(view),
        reading=_reading(view),
        answer=answer,
        cases=tuple(_case(view, place) for place in range(len(model.cases))),
        stairs=build_stairs(view),
        act=build_act(view, act) if act in model.line_by_name else None,
        adding=build_adding(add, answer),
        money=tuple((one.label, one.summary, view.address.url(add=one.name, act=None)) for one in MONEY),
        level=level.words(lambda amount: formats.typed(amount, model.currency)).removeprefix("flat ") if level else "",
        level_words="as you set it" if level else "what the overdraft allows",
        under_way=tuple(
            (s.name, s.label, s.name in model.liquidity.under_way) for s in model.schedules if s.kind == "receivables"
        ),
        under_way_days=model.liquidity.under_way_days,
        weeks=build_weeks(view, fold) if shows_weeks else None,
        weeks_url=view.address.url(weeks="yes", act=None, add=None),
        months_url=view.address.url(weeks=None, act=None, add=None),
        is_empty=is_empty,
        has_past=model.timeline.actual_count > 0,
        shows_list=is_empty or shows_list,
        list_url=view.address.url(list=None if shows_list else "yes", act=None, add=None),
        width=LABEL_WIDTH + step * len(table.periods) + YEAR_WIDTH * len(table.years),
        column_width=step,
    )


def _reading(view: View) -> tuple[str, ...]:
    reading = read_waterline(view.snapshot.results, view.place)
    timeline = view.snapshot.model.timeline
    plan = timeline.month_count - timeline.actual_count
    label = view.snapshot.model.case(view.address.case).label
    if reading is None:
        return (f"{label}: cash cannot be computed",)
    if reading.is_short:
        return (f"{label}: under in {reading.months_under}", f"of the {plan} months planned")
    return (f"{label}: never under", f"in the {plan} months planned")


def _case(view: View, place: int) -> CaseRow:
    model = view.snapshot.model
    case = model.cases[place]
    reading = read_waterline(view.snapshot.results, place)
    url = view.address.url(case=case.name, act=None, add=None)
    return CaseRow(
        name=case.name,
        label=case.label,
        style=style_of(place),
        url=url,
        is_active=place == view.place,
        cells=_case_cells(reading, model.currency),
        is_short=reading is not None and reading.is_short,
    )


def _case_cells(reading: Reading | None, unit: str) -> tuple[str, ...]:
    if reading is None:
        return ("no value", "", "", "", "")
    lowest = f"{formats.amount(reading.lowest, unit)}, {reading.lowest_month.label}"
    if not reading.is_short or reading.first_under is None:
        return ("never", "", "", "", lowest)
    back = reading.back_above.label if reading.back_above else "not by the end"
    return (reading.first_under.label, formats.amount(-reading.room, unit), str(reading.months_under), back, lowest)
