"""The sheets that read the plan's: fiscal years, figures and checks, all of them formulas."""

from collections.abc import Mapping

import numpy as np
from xlsxwriter.utility import xl_col_to_name

from widefork.core.analysis.figures import answer, period_of
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.core.finance.checks.check import Checked
from widefork.core.finance.checks.limits import limit_dates, limit_tests, lines_of_limit
from widefork.core.graph.model import Limit
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, MemberKey, OverMembers, OverTime
from widefork.files.workbook.given import DATE
from widefork.files.workbook.layout import HEAD, Holds
from widefork.files.workbook.look import MONTH, format_of, number_format
from widefork.files.workbook.pieces import At, Piece, Pieces, Ref, digits, so_far
from widefork.files.workbook.rolling import Rolling
from widefork.files.workbook.tab import Tab, Values, serial
from widefork.files.workbook.words import amount_words

HOLDS, BROKEN, UNKNOWN = "holds", "does not hold", "cannot be computed"
KEPT, NO_VALUE = "kept without a value", "no value"
TOLERANCE = "1E-6"
"""How far statements may differ, as a share of the total of assets, or of 1."""
_SIGNS = {Comparison.AT_LEAST: ">=", Comparison.ABOVE: ">", Comparison.AT_MOST: "<=", Comparison.BELOW: "<"}
_HOLDS = {
    Comparison.AT_LEAST: np.greater_equal, Comparison.ABOVE: np.greater, Comparison.AT_MOST: np.less_equal,
    Comparison.BELOW: np.less,
}  # fmt: skip
_ADD_UP = (OverTime.SUM, OverTime.END, OverTime.START, OverTime.MEAN)
_FINDS = {
    Reduction.VALUE: "value in the last month", Reduction.SUM: "over all months", Reduction.MEAN: "mean of the months",
    Reduction.LOWEST: "lowest month", Reduction.HIGHEST: "highest month", Reduction.FIRST_MONTH: "first month in which",
    Reduction.MONTH_COUNT: "number of months in which",
}  # fmt: skip


class Years:
    """Writes the sheet of fiscal years: every line, rolled up as it says."""

    FIRST = 3

    def __init__(self, tab: Tab, rolling: Rolling) -> None:
        self.tab, self.rolling, self.material = tab, rolling, tab.material
        self.years = self.material.timeline.fiscal_years()
        self.rows: dict[tuple[str, MemberKey | None], At] = {}
        self.row = HEAD

    def write(self) -> None:
        """Write all of the sheet."""
        tab = self.tab
        tab.title("Fiscal years", "Every line rolled up as it says: a flow adds up, a balance is that of the end.")
        for column, width in enumerate((44, 20, 12, *[12] * len(self.years))):
            tab.sheet.set_column(column, column, width)
        for column, text in enumerate(("Line", "Member", "Unit")):
            tab.sheet.write_string(HEAD - 1, column, text, tab.looks.head)
        for place, year in enumerate(self.years):
            cut = "" if len(year) == 12 else f", {len(year)} months"
            head = tab.looks(bold=True, bg_color="#f1f4f1", bottom=1, align="right")
            tab.sheet.write_string(HEAD - 1, self.FIRST + place, f"{year.label}{cut}", head)
        tab.sheet.freeze_panes(HEAD, self.FIRST)
        tab.sheet.repeat_rows(0, HEAD - 1)
        tab.sheet.fit_to_pages(1, 0)
        for sheet in self.material.layout.sheets:
            for column in range(self.FIRST + len(self.years)):
                tab.sheet.write_blank(self.row, column, None, tab.looks.heading)
            tab.sheet.write_string(self.row, 0, sheet.name, tab.looks.heading)
            self.row += 1
            for name in dict.fromkeys(row.name for row in sheet.rows if row.holds is Holds.LINE):
                self._line(self.material.model.line(name))

    def _line(self, line: Line) -> None:
        keys = list(self.material.rows_by_line[line.name])
        for key in keys:
            self._row(line, key, ", ".join(key))
        if len(keys) > 1 and line.rollup.over_members is not OverMembers.NONE:
            self._row(line, None, "all members")

    def _row(self, line: Line, key: MemberKey | None, said: str) -> None:
        tab, at = self.tab, At(self.tab.name, self.row)
        values = roll_up(self.material.results, line.name, self.years, key or ())[:, self.material.entry]
        look = tab.looks.figure(format_of(line, self.material.decimals), is_strong=key is None)
        tab.sheet.write_string(self.row, 0, line.label, tab.looks())
        tab.sheet.write_string(self.row, 1, said, tab.looks.quiet)
        tab.sheet.write_string(self.row, 2, line.unit, tab.looks.quiet)
        for place, (year, value) in enumerate(zip(self.years, values.tolist(), strict=True)):
            first, last = (self.material.timeline.index(month) for month in (year.first, year.last))
            column = self.FIRST + place
            if last < line.rollup.blank_months:
                continue
            if key is None and line.rollup.over_members is OverMembers.SUM and line.rollup.over_time in _ADD_UP:
                letter, count = xl_col_to_name(column), len(self.material.rows_by_line[line.name])
                text = f"=SUM({letter}{self.row - count + 1}:{letter}{self.row})"
            else:
                text = self.rolling.over_time(line, key or (), first, last, tab.name)
            tab.sheet.write_formula(self.row, column, text, look, value if value == value else "")
        self.rows[line.name, key] = at
        self.row += 1


class Figures:
    """Writes the sheet of figures: a question each, its answer, and the months it looks at."""

    def __init__(self, tab: Tab, rolling: Rolling) -> None:
        self.tab, self.rolling, self.material, self.row = tab, rolling, tab.material, HEAD

    def write(self) -> None:
        """Write all of the sheet."""
        self.tab.title("Figures", "Questions to the plan, answered for the case chosen, with the months they look at.")
        self.tab.months(("Figure", "Answer", "Unit", "In words", ""))
        for figure in self.material.model.figures:
            self._figure(figure)
        self.tab.printed_to(self.row)

    def _figure(self, figure: Figure) -> None:
        tab, line = self.tab, self.material.model.line(figure.line)
        timeline = self.material.timeline
        period = period_of(figure, timeline)
        first, last = timeline.index(period.first), timeline.index(period.last)
        number = format_of(line, self.material.decimals)
        found = answer(figure, self.material.results)
        values = self._months(line, figure.members)
        row, at = self.row, At(tab.name, self.row)
        tab.sheet.write_string(row, 0, figure.label, tab.looks(bold=True))
        tab.sheet.write_string(row, 2, "" if figure.reduction.asks_condition else line.unit, tab.looks.quiet)
        tab.sheet.write_string(row, 3, self._words(figure, line), tab.looks.quiet)
        text = self.material.texts((Ref(self.rolling.months(line, figure.members)),), tab.name)
        for month in range(first, last + 1):
            tab.formula(row, month, text(month), tab.looks.figure(number), values[month])
        own = self.material.span(at, first, last, tab.name)
        if figure.reduction.asks_condition:
            self.row += 1
            tab.sheet.write_string(self.row, 0, "1 where it holds", tab.looks(font_color="#55656b", indent=2))
            asked = f"{_SIGNS[figure.comparison]}{digits(figure.threshold)}"
            for month in range(first, last + 1):
                cell = self.material.span(at, month, month, tab.name)
                holds = float(_HOLDS[figure.comparison](values[month], figure.threshold))
                tab.formula(self.row, month, f"=IF({cell}{asked},1,0)", tab.looks.figure(number_format(0)), holds)
        amount = float(found.amounts[self.material.entry])
        self._answer(figure, line, row, (first, last), own, amount)
        self.row += 1

    def _months(self, line: Line, members: MemberKey) -> Values:
        return roll_up(self.material.results, line.name, self.rolling.periods, members)[:, self.material.entry]

    def _answer(self, figure: Figure, line: Line, row: int, months: tuple[int, int], own: str, amount: float) -> None:
        tab, (first, last) = self.tab, months
        holds = self.material.span(At(tab.name, row + 1), first, last, tab.name)
        complete = f'IF(COUNT({own})<{last - first + 1},"",'
        match figure.reduction:
            case Reduction.SUM:
                text = self.rolling.over_time(line, figure.members, first, last, tab.name)
            case Reduction.VALUE:
                text = f"={self.material.span(At(tab.name, row), last, last, tab.name)}"
            case Reduction.MEAN:
                text = f"={complete}AVERAGE({own}))"
            case Reduction.LOWEST:
                text = f"={complete}MIN({own}))"
            case Reduction.HIGHEST:
                text = f"={complete}MAX({own}))"
            case Reduction.MONTH_COUNT:
                text = f"={complete}SUM({holds}))"
            case _:
                dates = self.material.span(self.material.counters[DATE], first, last, tab.name)
                text = f'=IF(SUM({holds})=0,"none",INDEX({dates},1,MATCH(1,{holds},0)))'
        number = format_of(line, self.material.decimals)
        value: float | str = amount if amount == amount else ""
        if figure.reduction.gives_month:
            number, value = MONTH, serial(int(amount)) if amount == amount else "none"
        elif figure.reduction is Reduction.MONTH_COUNT:
            number = number_format(0)
        tab.sheet.write_formula(row, 1, text, tab.looks(bold=True, num_format=number, align="right"), value)

    @staticmethod
    def _words(figure: Figure, line: Line) -> str:
        asked = ""
        if figure.reduction.asks_condition:
            asked = f" {figure.comparison.value} {amount_words(figure.threshold, line.unit)}"
        return f"{_FINDS[figure.reduction]}{asked}: {', '.join((line.label, *figure.members))}"


class Checks:
    """Writes the sheet of checks: what ties, and what must lie between limits.

    Parameters
    ----------
    rolls : by label, a balance, what adds to it, and what takes from it.
    """

    def __init__(
        self, tab: Tab, rolling: Rolling, rolls: Mapping[str, tuple[str, tuple[str, ...], tuple[str, ...]]]
    ) -> None:
        self.tab, self.rolling, self.rolls, self.material, self.row = tab, rolling, rolls, tab.material, HEAD
        self.model = tab.material.model
        self.checked = Checked(self.material.results)
        self.said: list[str] = []
        self.broken = 0

    def write(self) -> None:
        """Write all of the sheet."""
        self.tab.title("Checks", "What must hold in every month of the case chosen; differences are 0 where it does.")
        self.tab.months(("Check", "In all months", "Unit", "What must hold", ""))
        tolerated = self._tolerated()
        for line, label, meaning in (
            ("balance_difference", "Balance sheet", "assets equal equity and liabilities"),
            ("cash_difference", "Cash", "the cash flow ends at the balance sheet's cash"),
            (
                "methods_difference",
                "Cash flow by both methods",
                "from profit and from receipts, operations bring the same",
            ),
        ):
            self._tie(label, meaning, (Ref(self._at(line)),), self.material.cached.line(line, ()), tolerated)
        moved = (("net_profit", 1), ("dividends", -1), ("owners_draw", -1))
        self._roll("Retained earnings", "retained_earnings", moved, tolerated)
        for label, (balance, adds, takes) in self.rolls.items():
            self._roll(label, balance, (*((name, 1) for name in adds), *((name, -1) for name in takes)), tolerated)
        for limit in self.model.limits:
            self._limit(limit)
        self._count()
        self.tab.printed_to(self.row)

    def _at(self, line: str) -> At:
        return self.material.rows_by_line[line][()]

    def _labels(self, label: str, meaning: str, unit: str) -> None:
        self.tab.sheet.write_string(self.row, 0, label, self.tab.looks(bold=True))
        self.tab.sheet.write_string(self.row, 2, unit, self.tab.looks.quiet)
        self.tab.sheet.write_string(self.row, 3, meaning, self.tab.looks.quiet)

    def _tolerated(self) -> At:
        at = At(self.tab.name, self.row)
        assets = Ref(self._at("total_assets"))
        values = float(TOLERANCE) * np.maximum(1.0, np.abs(self.material.cached.line("total_assets", ())))
        self._labels("How far they may differ", "a millionth of all assets, or of 1", self.model.currency)
        look = self.tab.looks.figure(number_format(2))
        self.tab.formulas(self.row, (f"{TOLERANCE}*MAX(1,ABS(", assets, "))"), look, values.tolist())
        self.row += 1
        return at

    def _tie(self, label: str, meaning: str, pieces: Pieces, gaps: Values, tolerated: At) -> None:
        self._labels(label, meaning, self.model.currency)
        self.tab.formulas(self.row, pieces, self.tab.looks.figure(number_format(2)), gaps.tolist())
        last = self.material.months - 1
        own, most = (self.material.span(at, 0, last, self.tab.name) for at in (At(self.tab.name, self.row), tolerated))
        text = f'=IFERROR(IF(SUMPRODUCT((ABS({own})>{most})*1)=0,"{HOLDS}","{BROKEN}"),"{UNKNOWN}")'
        assets = np.abs(self.material.cached.line("total_assets", ()))
        if np.isfinite(gaps).all() and np.isfinite(assets).all():
            said = HOLDS if (np.abs(gaps) <= float(TOLERANCE) * np.maximum(1.0, assets)).all() else BROKEN
        else:
            said = UNKNOWN
        self._result(text, said)

    def _roll(self, label: str, balance: str, moved: tuple[tuple[str, int], ...], tolerated: At) -> None:
        """A balance less its opening and all that moved it since."""
        opening = self.model.line(balance).opening
        pieces: list[Piece] = [Ref(self._at(balance)), f"-({digits(opening)})"]
        gaps = self.material.cached.line(balance, ()) - opening
        for name, sign in moved:
            pieces += ["-SUM(" if sign > 0 else "+SUM(", *so_far(self._at(name)), ")"]
            gaps = gaps - sign * np.cumsum(self.material.cached.line(name, ()))
        self._tie(label, "closes at its opening and what moved it", tuple(pieces), gaps, tolerated)

    def _limit(self, limit: Limit) -> None:
        tab, line = self.tab, self.model.line(limit.line)
        bounds = [f"at least {amount_words(limit.least, line.unit)}"] if limit.least is not None else []
        bounds += [f"at most {amount_words(limit.most, line.unit)}"] if limit.most is not None else []
        self._labels(limit.label, f"headroom: {line.label} {' and '.join(bounds)}", line.unit)
        value = self.material.texts((Ref(self.rolling.months(line, ())),), tab.name)
        judges = [self.model.line(name) for name in lines_of_limit(limit)[1:]]
        judged = self.material.texts((Ref(self.rolling.months(judges[0], ())),), tab.name) if judges else None
        timeline = self.material.timeline
        tests = {test.month: test for test in limit_tests(self.checked, limit, self.material.entry)}
        look = tab.looks.figure(format_of(line, self.material.decimals))
        for date in limit_dates(timeline, limit):
            month = timeline.index(date.first)
            cell = value(month)[1:]
            rooms = [f"{cell}-{digits(limit.least)}"] if limit.least is not None else []
            rooms += [f"{digits(limit.most)}-{cell}"] if limit.most is not None else []
            without = f'IF({judged(month)[1:]}<=0,"{KEPT}","{NO_VALUE}")' if judged is not None else f'"{NO_VALUE}"'
            test = tests[date.first]
            nothing = KEPT if test.is_kept_without else NO_VALUE
            room = test.headroom if test.headroom == test.headroom else nothing
            text = f"=IF(ISNUMBER({cell}),MIN({','.join(rooms)}),{without})"
            tab.sheet.write_formula(self.row, self.material.first + month, text, look, room)
        own = self.material.span(At(tab.name, self.row), 0, self.material.months - 1, tab.name)
        broken = f'COUNTIF({own},"<0")+COUNTIF({own},"{NO_VALUE}")'
        said = HOLDS if all(test.holds for test in tests.values()) else BROKEN
        self._result(f'=IF({broken}=0,"{HOLDS}","{BROKEN}")', said)

    def _result(self, text: str, said: str) -> None:
        self.tab.sheet.write_formula(self.row, 1, text, self.tab.looks(bold=True), said)
        self.said.append(said)
        self.row += 1

    def _count(self) -> None:
        """How many do not hold, on top of the sheet; Contents reads it there."""
        cells = f"B{HEAD + 1}:B{self.row}"
        text = f'=COUNTIF({cells},"{BROKEN}")+COUNTIF({cells},"{UNKNOWN}")'
        self.broken = sum(said != HOLDS for said in self.said)
        self.tab.sheet.write_string(2, 0, "Checks that do not hold", self.tab.looks.head)
        self.tab.sheet.write_formula(2, 1, text, self.tab.looks.head, self.broken)
