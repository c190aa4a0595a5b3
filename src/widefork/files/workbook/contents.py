"""The first sheet: what the workbook is, what each sheet holds, and what cells cannot hold."""

from collections.abc import Sequence

from xlsxwriter.format import Format

from widefork.files.workbook.layout import (
    ASSUMPTIONS,
    BALANCE,
    CASES,
    CASH,
    CHARTS,
    CHECKS,
    CURVES,
    FIGURES,
    INCOME,
    INPUTS,
    PEOPLE,
    RATIOS,
    ROLL_UPS,
    TERMS,
    TIME,
    YEARS,
)  # fmt: skip
from widefork.files.workbook.look import ACTUAL, INK, SAND
from widefork.files.workbook.material import CASE_NAME
from widefork.files.workbook.results import Checks
from widefork.files.workbook.tab import Tab

SAYS = {
    TIME: "the months once, with what is counted along them",
    INPUTS: "parameters of rules: what to change",
    ASSUMPTIONS: "what is assumed, month by month, with its rule, its reason and its range",
    PEOPLE: "teams: heads wanted, there and paid",
    TERMS: "when money moves: receivables, payables, stock, assets, loans, taxes",
    INCOME: "revenue to net profit", CASH: "by both methods", BALANCE: "assets, equity and liabilities",
    RATIOS: "what is read from the statements",
    CHECKS: "what must hold, month by month",
    CASES: "chooses the case; moves and steps of every case with their amounts",
    FIGURES: "questions to the plan, with their answers",
    YEARS: "every line by fiscal year",
    CHARTS: "cash by case, room above the waterline, revenue and EBITDA by year",
    CURVES: "shares by age, as flows are read against them",
    ROLL_UPS: "members rolled up month by month",
}  # fmt: skip
"""What each sheet holds; a section's sheet holds its lines."""


class Contents:
    """Writes the first sheet, part below part. ``checks`` : written before it."""

    def __init__(self, tab: Tab, checks: Checks) -> None:
        self.tab, self.sheet, self.looks, self.material = tab, tab.sheet, tab.looks, tab.material
        self.checks, self.row = checks, 3

    def write(self, names: Sequence[str]) -> None:
        """Write all of the sheet; ``names`` : of the sheets behind it."""
        self.tab.title(self.material.model.name, f"Amounts in {self.material.model.currency}.", with_case=False)
        self.sheet.set_column(0, 0, 34)
        self.sheet.set_column(1, 1, 100)
        self._facts()
        self._sheets(names)
        self._looks()
        self._fixed()
        self._problems()
        self.sheet.print_area(0, 0, self.row, 1)
        self.sheet.fit_to_pages(1, 0)

    def _head(self, text: str, said: str = "") -> None:
        self.row += 1
        self.sheet.write_string(self.row, 0, text, self.looks.head)
        self.sheet.write_string(self.row, 1, said, self.looks.head)
        self.row += 1

    def _say(self, label: str, said: str, look: Format | None = None) -> None:
        self.sheet.write_string(self.row, 0, label, look or self.looks())
        self.sheet.write_string(self.row, 1, said, self.looks())
        self.row += 1

    def _facts(self) -> None:
        timeline, counted, quiet = self.material.timeline, self.material.counted, self.looks.quiet
        actual = f", actual to {timeline.last_actual.label}" if timeline.last_actual is not None else ""
        share = counted.live / counted.cells if counted.cells else 1.0
        for label, text, shown in (
            ("Case", f"={CASE_NAME}", self.material.label),
            ("Checks that do not hold", f"='{CHECKS}'!$B$3", self.checks.broken),
        ):
            self.sheet.write_string(self.row, 0, label, quiet)
            self.sheet.write_formula(self.row, 1, text, self.looks(bold=True, align="left"), shown)
            self.row += 1
        self._say("Months", f"{timeline.start.label} to {timeline.end.label}{actual}", quiet)
        self._say("Written on", f"{self.material.on:%d %b %Y}", quiet)
        self._say("Formulas", f"{share:.1%} of {counted.cells:,} calculated cells", quiet)

    def _sheets(self, names: Sequence[str]) -> None:
        titles = {each.name: each.title for each in self.material.layout.sheets}
        self._head("Sheets", "the case is chosen on Cases; parameters of rules are changed on Inputs")
        for name in names:
            self.sheet.write_url(self.row, 0, f"internal:'{name}'!A1", self.looks(underline=1, font_color=INK), name)
            self.sheet.write_string(self.row, 1, SAYS.get(name, titles.get(name, name)), self.looks())
            self.row += 1

    def _looks(self) -> None:
        self._head("How cells look")
        self._say("1,250", "in a box: written by hand, to be changed", self.looks.written_in())
        self._say("1,250", "actual months: what came, as values", self.looks(bg_color=ACTUAL))
        self._say("1,250", "values case by case: what cells cannot hold", self.looks(bg_color=SAND, italic=True))

    def _fixed(self) -> None:
        fixed = self.material.fixed
        self._head("As values, case by case", "they follow the case, not what is changed here" if fixed else "nothing")
        for name, why in fixed.items():
            self._say(self.material.model.line(name).label, why)

    def _problems(self) -> None:
        problems = self.material.plan.problems
        errors = [line for line in self.material.model.lines if line.name in problems]
        if errors:
            self._head("Cannot be computed", "their cells say #N/A, and so do those that read them")
        for line in errors:
            self._say(line.label, problems[line.name].sentence)
