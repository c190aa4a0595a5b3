"""The Waterline as plain data: the answer, the table of receipts and payments with its bars, and the steps taken."""

from dataclasses import dataclass, replace
from math import isfinite

import numpy as np

from widefork.core.analysis.waterline import (
    KINDS,
    MONEY,
    Kind,
    Money,
    Reading,
    charges_of,
    handle_of,
    lines_of,
    read_waterline,
    stairs,
)
from widefork.core.axes import Grain, Period
from widefork.core.changes import resolve
from widefork.core.errors import ChangeRefused
from widefork.core.graph.rollup import roll_up
from widefork.web.pages.waterline.answer import Answer, build_answer
from widefork.web.pages.waterline.weeks import WeeksSheet, build_weeks
from widefork.web.shared import formats
from widefork.web.shared.charts.cash_chart import cash_chart, rooms
from widefork.web.shared.charts.fork_chart import ForkChart
from widefork.web.shared.context import View
from widefork.web.shared.period_table import Cell, Column, Columns, cells_of, columns_of

LABEL_WIDTH, YEAR_WIDTH = 218, 66
CHART_HEIGHT, BARS_HEIGHT, BAR_WIDTH, STAIRS = 160, 92, 30, (430, 118)
USUAL_OUTGOINGS = (
    ("Wages and salaries", "people_costs"),
    ("Employer's charges", "people_costs"),
    ("Rent", "premises_costs"),
    ("Energy and water", "premises_costs"),
    ("Materials and goods", "cost_of_sales"),
    ("Subcontractors", "cost_of_sales"),
    ("Freight", "cost_of_sales"),
    ("Insurance", "administration_costs"),
    ("Software and telephone", "administration_costs"),
    ("Advisers and audit", "administration_costs"),
    ("Vehicles and travel", "administration_costs"),
    ("Marketing", "marketing_costs"),
    ("Leases and rented equipment", "administration_costs"),
    ("Sales tax to be paid", "administration_costs"),
    ("Loan payments", "interest_expense"),
    ("Anything else", "administration_costs"),
)  # fmt: skip
USUAL_RECEIPTS = (("From customers", "revenue"), ("Anything else", "other_income"))


@dataclass(frozen=True)
class Row:
    """A row of the table.

    Parameters
    ----------
    look : ``subtotal``, ``total``, ``depth0`` for a kind, ``depth1`` for a line in it, ``note`` for liquidity.
    less : it is taken away. fold : address that opens or closes its lines; empty for none.
    act : address at which something can be done about it; empty where nothing can. chosen : it is being acted on.
    """

    name: str
    label: str
    look: str
    less: bool
    cells: tuple[Cell, ...]
    fold: str = ""
    is_open: bool = False
    act: str = ""
    chosen: bool = False


@dataclass(frozen=True)
class Bar:
    """One kind in one column: where its bar stands, and what it says."""

    x: float
    y: float
    height: float
    words: str
    shade: int
    is_receipt: bool
    url: str


@dataclass(frozen=True)
class Act:
    """A payment somebody is about to do something about."""

    name: str
    label: str
    first: str
    last: str
    choices: tuple[tuple[str, str], ...]
    reason: str


@dataclass(frozen=True)
class Step:
    """A step of the sketch: its words, its effect on the worst month, and where its stair stands."""

    sentence: str
    effect: str
    room: str
    place: int
    x: float
    y: float
    before_y: float
    helps: bool


@dataclass(frozen=True)
class Stairs:
    """The steps from the first shortfall to now."""

    start: str
    start_y: float
    steps: tuple[Step, ...]
    level_y: float
    width: float
    height: float
    stair: float


@dataclass(frozen=True)
class Adding:
    """Money somebody is about to add, with what is proposed for it."""

    money: Money
    amount: str
    month: str
    months: str
    rate: str


@dataclass(frozen=True)
class CaseRow:
    """What is said of a case."""

    name: str
    label: str
    style: int
    url: str
    is_active: bool
    cells: tuple[str, ...]
    is_short: bool


@dataclass(frozen=True)
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
    weeks: WeeksSheet | None
    weeks_url: str
    months_url: str
    is_empty: bool
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
    rows = _rows(view, table, fold, act)
    longest = max((len(c.text) for row in rows for c in row.cells if not c.column.is_year), default=0)
    step = 48 if longest <= 8 else 58 if longest <= 10 else 72
    bars, zero = _bars(view, table, step, fold)
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
        table.columns,
        rows,
        bars,
        zero,
        chart,
        rooms(view),
        _reading(view),
        answer,
        tuple(_case(view, place) for place in range(len(model.cases))),
        _stairs(view),
        _act(view, act) if act in model.line_by_name else None,
        _adding(add, answer),
        tuple((one.label, one.summary, view.address.url(add=one.name, act=None)) for one in MONEY),
        level.words(lambda amount: formats.typed(amount, model.currency)).removeprefix("flat ") if level else "",
        "as you set it" if level else "what the overdraft allows",
        tuple(
            (s.name, s.label, s.name in model.liquidity.under_way) for s in model.schedules if s.kind == "receivables"
        ),
        build_weeks(view, fold) if shows_weeks else None,
        view.address.url(weeks="yes", act=None, add=None),
        view.address.url(weeks=None, act=None, add=None),
        is_empty,
        is_empty or shows_list,
        view.address.url(list=None if shows_list else "yes", act=None, add=None),
        LABEL_WIDTH + step * len(table.periods) + YEAR_WIDTH * len(table.years),
        step,
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


def _rows(view: View, table: Columns, fold: frozenset[str], act: str) -> tuple[Row, ...]:
    model = view.snapshot.model
    rows = [_sums(view, table, "Cash after overdraft, start", _opening(view, table), "depth0")]
    for is_receipt, label in ((True, "Comes in"), (False, "Goes out")):
        kinds = [kind for kind in KINDS if kind.is_receipt is is_receipt]
        body: list[Row] = []
        total = np.zeros(len(table.all))
        for kind in kinds:
            values = _rolled(view, kind.name, table.all)
            total = total + values
            if np.abs(np.nan_to_num(view.snapshot.results.values(kind.name), nan=1.0)).max() < formats.RESIDUE:
                continue
            body += _kind_rows(view, table, kind, fold, act)
        rows += [*body, _sums(view, table, label, total, "subtotal")]
    rows.append(_line(view, table, "cash_after_overdraft", "Cash after overdraft, end", "total"))
    rows.append(_line(view, table, "waterline", "Lowest level allowed", "depth0"))
    rows.append(_narrowest(view, table))
    rows.append(_line(view, table, "cash", "Cash in the bank", "note"))
    undrawn = _rolled(view, "overdraft_limit", table.all) - _rolled(view, "overdraft", table.all)
    rows.append(_sums(view, table, "Overdraft not drawn", undrawn, "note"))
    under_way = np.zeros(len(table.all))
    for name in model.liquidity.under_way:
        under_way = under_way + _rolled(view, f"{name}_balance", table.all)
    rows.append(_sums(view, table, "Money under way to the bank", under_way, "note"))
    rows.append(_line(view, table, "deposits", "Deposits not available", "note"))
    return tuple(rows)


def _kind_rows(view: View, table: Columns, kind: Kind, fold: frozenset[str], act: str) -> list[Row]:
    lines = lines_of(kind, view.snapshot.model)
    is_open = kind.name in fold
    address = view.address.url(fold=",".join(sorted(fold ^ {kind.name})) or None)
    can_open = bool(lines)
    head = Row(
        kind.name, kind.label, "depth0", not kind.is_receipt, cells_of(view, kind.name, table),
        address if can_open else "", is_open,
    )  # fmt: skip
    if not is_open:
        return [head]
    body = []
    for line in lines:
        can_act = view.snapshot.model.timeline.first_plan <= view.snapshot.model.timeline.end
        url = view.address.url(act=line.name, add=None) if can_act and not _is_unexplained(line.name) else ""
        cells = cells_of(view, line.name, table)
        body.append(Row(line.name, line.label, "depth1", False, cells, act=url, chosen=line.name == act))
    return [head, *body]


def _is_unexplained(name: str) -> bool:
    return name.endswith("_unexplained") or name.startswith("unexplained_")


def _rolled(view: View, name: str, periods: tuple[Period, ...]) -> np.ndarray:
    return np.asarray(roll_up(view.snapshot.results, name, periods)[:, view.place])


def _opening(view: View, table: Columns) -> np.ndarray:
    cash = view.snapshot.results.series("cash_after_overdraft", (), view.place)
    timeline = view.snapshot.model.timeline
    opening = view.snapshot.model.line("cash_after_overdraft").opening
    places = [timeline.index(period.first) for period in table.all]
    return np.array([cash[place - 1] if place else opening for place in places])


def _line(view: View, table: Columns, name: str, label: str, look: str) -> Row:
    return Row(name, label, look, False, cells_of(view, name, table))


def _narrowest(view: View, table: Columns) -> Row:
    """Room above the lowest level; of a quarter or year that of its narrowest month, which its end would hide."""
    model = view.snapshot.model
    room = view.snapshot.results.series("headroom", (), view.place)
    cells = []
    for cell, period in zip(cells_of(view, "headroom", table), table.all, strict=True):
        least = float(room[model.timeline.span(period.first, period.last)].min())
        cells.append(replace(cell, value=least, text=formats.cell(least, model.currency)))
    is_rolled = any(len(period) > 1 for period in table.all)
    label = "Room above it, narrowest month" if is_rolled else "Room above it"
    return Row("headroom", label, "subtotal", False, tuple(cells))


def _sums(view: View, table: Columns, label: str, values: np.ndarray, look: str) -> Row:
    unit = view.snapshot.model.currency
    key = label.lower().replace(" ", "-")
    cells = tuple(
        Cell(f"w-{key}-{column.key}", float(value), formats.cell(float(value), unit), "", "", "", column)
        for column, value in zip(table.columns, values, strict=True)
    )
    return Row(key, label, look, False, cells)


def _bars(view: View, table: Columns, step: int, fold: frozenset[str]) -> tuple[tuple[Bar, ...], float]:
    """Receipts above and payments below one line, stacked by kind in each column."""
    model = view.snapshot.model
    heights = {kind.name: _rolled(view, kind.name, table.periods) for kind in KINDS}
    up, down = np.zeros(len(table.periods)), np.zeros(len(table.periods))
    for kind in KINDS:
        values = np.nan_to_num(heights[kind.name]) * kind.sign
        up += np.maximum(values, 0)
        down += np.maximum(-values, 0)
    size = float(up.max() + down.max()) if len(up) else 0.0
    if not size:
        return (), BARS_HEIGHT / 2
    scale = (BARS_HEIGHT - 4) / size
    zero = 2 + float(up.max()) * scale
    bars = []
    tops, bottoms = np.full(len(up), zero), np.full(len(up), zero)
    for shade, kind in enumerate(KINDS):
        url = view.address.url(fold=",".join(sorted(fold | {kind.name}))) + f"#row-{kind.name}"
        for place, value in enumerate(np.nan_to_num(heights[kind.name]) * kind.sign):
            height = abs(float(value)) * scale
            if height < 0.3:
                continue
            is_up = value > 0
            y = tops[place] - height if is_up else bottoms[place]
            tops[place] -= height if is_up else 0
            bottoms[place] += 0 if is_up else height
            words = f"{kind.label}, {table.columns[place].label}: {formats.amount(abs(float(value)), model.currency)}"
            x = LABEL_WIDTH + step * place + (step - BAR_WIDTH) / 2
            bars.append(Bar(x, round(float(y), 1), round(height, 1), words, shade % 3, bool(is_up), url))
    return tuple(bars), round(zero, 1)


def _case(view: View, place: int) -> CaseRow:
    model = view.snapshot.model
    case = model.cases[place]
    reading = read_waterline(view.snapshot.results, place)
    url = view.address.url(case=case.name, act=None, add=None)
    return CaseRow(
        case.name, case.label, place % 4, url, place == view.place, _case_cells(reading, model.currency),
        reading is not None and reading.is_short,
    )  # fmt: skip


def _case_cells(reading: Reading | None, unit: str) -> tuple[str, ...]:
    if reading is None:
        return ("no value", "", "", "", "")
    lowest = f"{formats.amount(reading.lowest, unit)}, {reading.lowest_month.label}"
    if not reading.is_short or reading.first_under is None:
        return ("never", "", "", "", lowest)
    back = reading.back_above.label if reading.back_above else "not by the end"
    return (reading.first_under.label, formats.amount(-reading.room, unit), str(reading.months_under), back, lowest)


def _stairs(view: View) -> Stairs | None:
    """The worst month's room without the sketch, and after each of its steps."""
    state = view.sketch
    if state is None or state.case != view.address.case or not state.steps:
        return None
    model = view.snapshot.model
    before = resolve(model.case_by_name, model.move_by_name, state.case)
    readings = stairs(view.snapshot.plan, before, state.steps)
    known = [reading.room if reading is not None else float("nan") for reading in readings]
    finite = [room for room in known if isfinite(room)] or [0.0]
    top, low = max(0.0, *finite), min(0.0, *finite)
    width, height = STAIRS
    scale = (height - 36) / (top - low or 1.0)
    stair = min(96.0, (width - 20) / max(1, len(state.steps) + 1))

    def y(room: float) -> float:
        return round(20 + (top - (room if isfinite(room) else low)) * scale, 1)

    unit = model.currency
    steps = tuple(
        Step(
            sentence,
            formats.signed(known[place + 1] - known[place], unit),
            formats.amount(known[place + 1], unit),
            place,
            round(10 + stair * (place + 1), 1),
            y(known[place + 1]),
            y(known[place]),
            known[place + 1] > known[place],
        )
        for place, sentence in enumerate(state.sentences)
    )
    return Stairs(formats.amount(known[0], unit), y(known[0]), steps, y(0.0), width, height, round(stair, 1))


def _act(view: View, name: str) -> Act:
    plan, timeline = view.snapshot.plan, view.snapshot.model.timeline
    handle = handle_of(plan, name)
    choices: list[tuple[str, str]] = []
    if not handle.reason:
        choices += [("put_off", "put off, caught up over"), ("instalments", "cut into instalments, so many")]
        if handle.is_direct:
            choices.append(("forward", "bring forward by"))
    try:
        charged = [plan.model.line(line).label for line in charges_of(plan, name)]
    except ChangeRefused as fault:
        reason = handle.reason or fault.sentence
    else:
        reason = f"Reducing and dropping change what is charged: {', '.join(charged[:5])}."
        choices += [("reduce", "reduce what is charged"), ("drop", "drop what is charged")]
    reading = read_waterline(view.snapshot.results, view.place)
    first = reading.first_under if reading and reading.first_under else timeline.first_plan
    last = max(first, reading.lowest_month) if reading else first
    label = plan.model.line(name).label
    return Act(name, label, first.label, min(last, timeline.end).label, tuple(choices), reason)


def _adding(add: str, answer: Answer) -> Adding | None:
    money = next((one for one in MONEY if one.name == add), None)
    if money is None:
        return None
    return Adding(money, answer.amount, answer.month, "12" if money.has_rate else "3", "8 %")
