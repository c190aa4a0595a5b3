"""A sheet being written: its head, the months along it, and cells with formulas and the figures shown in them."""

from collections.abc import Sequence
from datetime import date
from math import isfinite

import numpy as np
from numpy.typing import NDArray
from xlsxwriter.format import Format
from xlsxwriter.worksheet import Worksheet

from widefork.files.workbook.given import DATE
from widefork.files.workbook.layout import HEAD, LABELS, TIME
from widefork.files.workbook.look import CONTROL, GROUND, Looks
from widefork.files.workbook.material import CASE_NAME, Material, first_day
from widefork.files.workbook.pieces import Pieces

Values = NDArray[np.float64]
ERROR = "#N/A"
MOST_COLUMNS = 16_384
A4, WIDE = 9, 18
"""Paper, and how many months go on a page of it."""
HEADS = ("Line", "Member", "Unit", "In words", "Why")
WIDTHS = (34, 16, 10, 40, 30)
"""Of the columns before the months, in characters."""


def shown(value: float) -> float | str:
    """Return what stands in a cell until it is recalculated."""
    return float(value) if isfinite(value) else ERROR


class PlainSheet(Worksheet):  # type: ignore[misc] # the library is not typed
    """A sheet whose formulas use functions every program knows, so that none is searched for newer ones."""

    def _prepare_formula(self, formula: str, expand_future_functions: bool = False) -> str:
        return formula.removeprefix("=")


class Tab:
    """A sheet and what is written on it.

    Parameters
    ----------
    sheet : of the library that writes. material, looks : what is written, and how it looks.
    """

    def __init__(self, sheet: Worksheet, material: Material, looks: Looks) -> None:
        self.sheet, self.material, self.looks, self.name = sheet, material, looks, sheet.get_name()
        sheet.hide_gridlines(2)
        sheet.set_landscape()
        sheet.set_paper(A4)
        sheet.set_margins(0.4, 0.4, 0.5, 0.6)
        sheet.set_footer(f"&L{_plain(material.model.name)}&C{_plain(self.name)}&R&P of &N")

    def title(self, title: str, says: str, with_case: bool = True) -> None:
        """Write a sheet's title, what it holds, and the case chosen."""
        self.sheet.set_row(0, 22)
        self.sheet.write_string(0, 0, title, self.looks.title)
        self.sheet.write_string(1, 0, says, self.looks.quiet)
        if with_case:
            said = f"Case: {self.material.label}"
            self.sheet.write_formula(0, 3, f'="Case: "&{CASE_NAME}', self.looks(bold=True), said)

    def months(self, heads: Sequence[str] = HEADS) -> None:
        """Write the months along the sheet, freeze head and labels, and set how it is printed.

        ``heads`` : of the columns before the months.
        """
        sheet, material = self.sheet, self.material
        for place, width in enumerate(WIDTHS):
            sheet.set_column(place, place, width)
        hidden = {"level": 1, "hidden": True}
        sheet.set_column(LABELS, material.first - 1, 9, None, hidden)
        sheet.set_column(material.first, material.first + material.months - 1, 9)
        if material.reach.after:
            behind = material.first + material.months
            sheet.set_column(behind, behind + material.reach.after - 1, 9, None, hidden)
        for row in (HEAD - 2, HEAD - 1):
            for column in range(material.first + material.months):
                sheet.write_blank(row, column, None, self.looks.head)
        for column, text in enumerate(heads):
            sheet.write_string(HEAD - 1, column, text, self.looks.head)
        dates = material.counters[DATE]
        for place, month in enumerate(material.timeline.months):
            column = material.first + place
            if self.name == TIME:
                sheet.write_datetime(HEAD - 2, column, first_day(month), self.looks.months)
            else:
                cell = f"='{TIME}'!{material.columns[column]}{dates.row + 1}"
                sheet.write_formula(HEAD - 2, column, cell, self.looks.months, serial(month.ordinal))
            year = f"FY{material.timeline.fiscal_year(month) % 100:02d}"
            said = f"{year} actual" if material.timeline.is_actual(month) else year
            sheet.write_string(
                HEAD - 1, column, said, self.looks(bg_color=GROUND, align="right", bottom=1, bottom_color=CONTROL)
            )
        sheet.freeze_panes(HEAD, 3, HEAD, material.first)
        sheet.repeat_rows(0, HEAD - 1)
        sheet.repeat_columns(0, 2)
        sheet.fit_to_pages(-(-material.months // WIDE), 0)

    def printed_to(self, row: int) -> None:
        """Set the area that is printed, down to a row."""
        self.sheet.print_area(0, 0, max(row, HEAD), self.material.first + self.material.months - 1)

    def formula(self, row: int, place: int, text: str, look: Format, value: float) -> None:
        """Write a month's formula with the figure shown in it."""
        self.sheet.write_formula(row, self.material.first + place, text, look, shown(value))

    def formulas(self, row: int, pieces: Pieces, look: Format, values: Sequence[float], nothing: str = ERROR) -> None:
        """Write a row of formulas. ``nothing`` : what is shown where there is no value."""
        text, write, first = self.material.texts(pieces, self.name), self.sheet.write_formula, self.material.first
        for place, value in enumerate(values):
            write(row, first + place, text(place), look, value if isfinite(value) else nothing)

    def values(self, row: int, look: Format, values: Sequence[float], first: int = 0) -> None:
        """Write a row of values, one a month from a month's place on; what has none as an error."""
        column = self.material.first + first
        for place, value in enumerate(values):
            if isfinite(value):
                self.sheet.write_number(row, column + place, value, look)
            else:
                self.sheet.write_formula(row, column + place, "=NA()", look, ERROR)


def _plain(text: str) -> str:
    """A text in a page's foot, where an ampersand would begin a code."""
    return text.replace("&", "&&")[:80]


def serial(ordinal: int) -> int:
    """The number of a month's first day as cells count days."""
    return (date(ordinal // 12, ordinal % 12 + 1, 1) - date(1899, 12, 30)).days
