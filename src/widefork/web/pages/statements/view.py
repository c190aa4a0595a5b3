"""A statement as plain data: rows of captions and what posts to them, months and fiscal years, and the waterline."""

import re
from dataclasses import dataclass, replace

import numpy as np

from widefork.core.analysis.waterline import read_waterline
from widefork.core.axes import Grain
from widefork.core.finance.statements import (
    CAPTION_BY_NAME,
    CHECKS,
    LAYOUTS,
    ROWS_WITHIN,
    Emphasis,
    Statement,
)
from widefork.core.graph.model import StatementSettings
from widefork.web.pages.statements.asides import Aside, Asked, aside_of, asides
from widefork.web.shared import formats
from widefork.web.shared.charts.cash_chart import cash_chart, rooms
from widefork.web.shared.charts.fork_chart import ForkChart
from widefork.web.shared.charts.spark import spark
from widefork.web.shared.context import View
from widefork.web.shared.period_table import Cell, Column, Columns, cells_of, columns_of, values_of

LABEL_WIDTH, SPARK_WIDTH, YEAR_WIDTH, ASIDE_WIDTH = 196, 30, 66, 50
CHART_HEIGHT = 176
TIE_TOLERANCE = 1e-6
TABS = (
    (Statement.INCOME, "Income"),
    (Statement.CASH_FLOW, "Cash flow"),
    (Statement.RECEIPTS, "Receipts and payments"),
    (Statement.BALANCE, "Balance"),
)
SCALES = ((1, "1"), (1000, "thousand"), (1000000, "million"))


@dataclass(frozen=True, kw_only=True)
class Row:
    """A caption (``depth`` 0) or a line posted to it (1).

    Parameters
    ----------
    asides : what stands beside each cell; empty where nothing does.
    fold : address that folds or unfolds what belongs to it; empty where nothing does. is_folded : it is folded.
    can_move, can_drop : the row may be moved among its own, or removed; for arranging.
    takes_rows : a row of the user's own may stand in it.
    """

    name: str
    label: str
    depth: int
    emphasis: str
    subtracts: bool
    cells: tuple[Cell, ...]
    asides: tuple[str, ...] = ()
    course: str = ""
    fold: str = ""
    is_folded: bool = False
    can_move: bool = False
    can_drop: bool = False
    takes_rows: bool = False


@dataclass(frozen=True, kw_only=True)
class StatementSheet:
    """The whole page. ``ties`` says whether the checks hold in every month of every case."""

    columns: tuple[Column, ...]
    rows: tuple[Row, ...]
    chart: ForkChart | None
    column_width: int
    reading: tuple[str, ...]
    short_label: str
    ties: bool
    tie_words: str
    rooms: tuple[tuple[str, str], ...]
    aside: Aside | None
    asides: tuple[tuple[str, str, bool], ...]
    scales: tuple[tuple[str, str, bool], ...]
    rounding: str
    hidden: int
    show_all_url: str
    is_arranging: bool
    arrange_url: str
    layouts: tuple[tuple[str, str, str, bool], ...]


def build(view: View, statement: Statement, asked: Asked) -> StatementSheet:
    """Return a statement over the visible columns and the fiscal years they touch."""
    table = columns_of(view)
    rows = _Rows(view, statement, asked, table).build()
    shown = tuple(row for row in rows if asked.everything or not _is_empty(view, row))
    longest = max((len(cell.text) for row in shown for cell in row.cells if not cell.column.is_year), default=0)
    width = 47 if longest <= 8 else 58 if longest <= 10 else 72
    aside = aside_of(view, asked)
    beside = ASIDE_WIDTH if aside else 0
    has_chart = view.address.grain is Grain.MONTH and len(table.periods) > 1
    left, step = LABEL_WIDTH + SPARK_WIDTH, width + beside
    years = (YEAR_WIDTH + beside) * len(table.years)
    chart = cash_chart(view, table.periods, CHART_HEIGHT, left, step, width * 0.5, years) if has_chart else None
    ties, tie_words = _ties(view)
    model = view.snapshot.model
    return StatementSheet(
        columns=table.columns,
        rows=shown,
        chart=chart,
        column_width=width,
        reading=_reading(view),
        short_label=_short_label(view),
        ties=ties,
        tie_words=tie_words,
        rooms=rooms(view),
        aside=aside,
        asides=tuple((word, label, word == asked.beside) for word, label in asides(view, asked)),
        scales=tuple((view.address.url(scale=n if n > 1 else None), label, n == asked.scale) for n, label in SCALES),
        rounding=_rounding(shown, asked, view),
        hidden=len(rows) - len(shown),
        show_all_url=view.address.url(all=None if asked.everything else "yes"),
        is_arranging=asked.is_arranging,
        arrange_url=view.address.url(arrange=None if asked.is_arranging else "yes"),
        layouts=tuple((one.name, one.label, one.summary, one.name == model.statements.layout) for one in LAYOUTS),
    )


def row_order(settings: StatementSettings, statement: Statement) -> tuple[str, ...]:
    """Return the names of a statement's rows from top to bottom: its layout's, as the user arranged them."""
    names: list[str] = []
    for name in LAYOUTS[settings.layout].rows[statement]:
        names.append(name)
        names += [row.name for row in settings.rows if row.within == name]
    for block in blocks(settings, names):
        kept = [name for name in settings.order if name in block]
        places = sorted(names.index(name) for name in kept)
        for place, name in zip(places, kept, strict=True):
            names[place] = name
    return tuple(names)


def blocks(settings: StatementSettings, names: list[str]) -> tuple[frozenset[str], ...]:
    """Return the rows that may change places: parts between two subtotals, and the own rows of a caption."""
    own = {row.name: row.within for row in settings.rows}
    found: list[set[str]] = [set()]
    for name in names:
        if name in own:
            continue
        if CAPTION_BY_NAME[name].emphasis is Emphasis.PART:
            found[-1].add(name)
        else:
            found.append(set())
    within = {caption: {name for name, home in own.items() if home == caption} for caption in own.values()}
    return tuple(frozenset(block) for block in (*found, *within.values()) if len(block) > 1)


class _Rows:
    """The rows of one statement."""

    def __init__(self, view: View, statement: Statement, asked: Asked, table: Columns) -> None:
        self.view, self.asked, self.table = view, asked, table
        self.model = view.snapshot.model
        self.settings = self.model.statements
        self.names = row_order(self.settings, statement)
        self.movable = frozenset().union(*blocks(self.settings, list(self.names)))
        self.own = {row.name: row for row in self.settings.rows}
        self.aside = aside_of(view, asked)

    def build(self) -> tuple[Row, ...]:
        """Return the rows from top to bottom, folded ones left out."""
        rows: list[Row] = []
        waiting: list[Row] = []
        for name in self.names:
            own = self.own.get(name)
            if own is not None:
                if own.within not in self.asked.folded:
                    waiting += self.rows_of(name, 1, Emphasis.PART, subtracts=False)
                continue
            caption = CAPTION_BY_NAME[name]
            is_part = caption.emphasis is Emphasis.PART
            entries = self.rows_of(name, 0, caption.emphasis, caption.subtracts)
            if is_part:
                waiting += entries
                continue
            folds = bool(waiting) and name not in ROWS_WITHIN
            is_folded = folds and name in self.asked.folded
            head = replace(entries[0], fold=self.fold(name), is_folded=is_folded) if folds else entries[0]
            rows += [] if is_folded else waiting
            rows += [head, *entries[1:]]
            waiting = []
        return (*rows, *waiting)

    def rows_of(self, name: str, depth: int, emphasis: Emphasis, subtracts: bool) -> list[Row]:
        """A caption, and the lines posted to it where there is more than one."""
        posted = [line for line in self.model.lines if line.posts_to == name]
        has_own = any(row.within == name for row in self.settings.rows)
        opens = len(posted) > 1 or (has_own and bool(posted))
        is_folded = name in self.asked.folded
        head = self.row(name, depth, emphasis, subtracts)
        if not opens and not has_own:
            return [head]
        head = replace(head, fold=self.fold(name), is_folded=is_folded)
        if is_folded or not opens:
            return [head]
        return [head, *(self.row(line.name, depth + 1, Emphasis.PART, subtracts=False) for line in posted)]

    def row(self, name: str, depth: int, emphasis: Emphasis, subtracts: bool) -> Row:
        cells = cells_of(self.view, name, self.table, float(self.asked.scale))
        course = np.array([cell.value for cell in cells if not cell.column.is_year])
        return Row(
            name=name,
            label=self.model.line(name).label,
            depth=depth,
            emphasis=emphasis.value,
            subtracts=subtracts,
            cells=cells,
            asides=self.aside.cells(name, self.table) if self.aside else (),
            course=spark(course, None, None).now if len(course) > 1 and course.any() else "",
            can_move=name in self.movable,
            can_drop=name in self.own,
            takes_rows=name in ROWS_WITHIN,
        )

    def fold(self, name: str) -> str:
        """The address with a row folded, or unfolded again."""
        folded = self.asked.folded ^ {name}
        return self.view.address.url(fold=",".join(sorted(folded)) or None)


def _is_empty(view: View, row: Row) -> bool:
    """Whether a row says nothing: no amount in any month of any case, and no line of one's own in it."""
    model = view.snapshot.model
    caption = CAPTION_BY_NAME.get(row.name)
    if row.can_drop or (caption is not None and caption.emphasis is not Emphasis.PART):
        return False
    own = [line for line in model.lines if line.posts_to == row.name or line.name == row.name]
    if any(not line.is_generated for line in own):
        return False
    return not np.nan_to_num(view.snapshot.results.values(row.name), nan=1.0).any()


def _rounding(rows: tuple[Row, ...], asked: Asked, view: View) -> str:
    """Where displayed parts do not add up to their displayed total, a sentence; empty where they do."""
    if asked.scale == 1:
        return ""
    table = columns_of(view)
    off = 0
    for row in rows:
        caption = CAPTION_BY_NAME.get(row.name)
        if caption is None or not caption.formula or "(" in caption.formula:
            continue
        parts = re.findall(r"([-+]?)\s*([a-z_]+)", caption.formula)
        total = np.round(np.array(values_of(view, row.name, table.all)) / asked.scale)
        added = sum(
            (-1 if sign == "-" else 1) * np.round(np.array(values_of(view, name, table.all)) / asked.scale)
            for sign, name in parts
        )
        off += int((np.abs(total - added) > 0.5).sum())
    if not off:
        return ""
    return f"Each figure is rounded by itself: in {off} places the parts shown differ from their total by the rounding."


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
