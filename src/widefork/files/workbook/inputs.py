"""The sheet of inputs: each rule's parameters in cells, one row each, in the order of the sheets that read them."""

from math import isfinite

from widefork.core.axes import Month
from widefork.core.lines import Line, MemberKey
from widefork.files.workbook.given import FIRST, InCell, RuleCells
from widefork.files.workbook.look import MONTH, format_of, number_format
from widefork.files.workbook.material import first_day
from widefork.files.workbook.pieces import At
from widefork.files.workbook.tab import Tab

TOP = 3
MOST_SHOWN = 12
"""Columns of parameters that are given a width: a year of months."""


class Inputs:
    """Writes parameters below one another as they are asked for."""

    def __init__(self, tab: Tab) -> None:
        self.tab, self.row = tab, TOP
        self.known: dict[tuple[str, MemberKey], At] = {}
        tab.title("Inputs", "What can be changed of each rule: cells in a box. The Assumptions are formulas on them.")
        for column, (text, width) in enumerate((("Line", 46), ("What it is", 34))):
            tab.sheet.set_column(column, column, width)
            tab.sheet.write_string(TOP - 1, column, text, tab.looks.head)
        tab.sheet.set_column(FIRST, FIRST + MOST_SHOWN, 11)
        for column in range(FIRST, FIRST + MOST_SHOWN):
            tab.sheet.write_blank(TOP - 1, column, None, tab.looks.head)
        tab.sheet.freeze_panes(TOP, FIRST)
        tab.sheet.repeat_rows(0, TOP - 1)
        tab.sheet.fit_to_pages(1, 0)

    def place_of(self, line: Line, key: MemberKey, written: RuleCells) -> At:
        """Return where a rule's parameters stand, written there when they are first asked for."""
        if (line.name, key) in self.known:
            return self.known[line.name, key]
        at = self.known[line.name, key] = At(self.tab.name, self.row)
        number = format_of(line, self.tab.material.decimals)
        sheet, looks = self.tab.sheet, self.tab.looks
        sheet.write_string(self.row, 0, ", ".join((line.label, *key)), looks())
        for place, parameters in enumerate(written.rows):
            row = self.row + place
            unit = f", {line.unit}" if parameters.is_amount and line.unit else ""
            sheet.write_string(row, 1, parameters.label + unit, looks.quiet)
            for column, cell in enumerate(parameters.cells, FIRST):
                own = number if parameters.is_amount else number_format(1, "%") if parameters.is_share else "General"
                self._write(row, column, cell, at, own)
        self.row += len(written.rows)
        return at

    def _write(self, row: int, column: int, cell: float | Month | InCell, at: At, number: str) -> None:
        sheet, looks = self.tab.sheet, self.tab.looks
        if isinstance(cell, Month):
            sheet.write_datetime(row, column, first_day(cell), looks.written_in(MONTH))
        elif isinstance(cell, InCell):
            text = self.tab.material.texts(cell.pieces(at), self.tab.name)(0)
            sheet.write_formula(row, column, text, looks.quiet, cell.shown)
        elif isfinite(cell):
            sheet.write_number(row, column, cell, looks.written_in(number))
