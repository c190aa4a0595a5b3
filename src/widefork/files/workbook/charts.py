"""Charts a spreadsheet draws itself: cash by case, the room above the waterline, revenue and EBITDA by year."""

from xlsxwriter import Workbook
from xlsxwriter.chart import Chart

from widefork.files.workbook.given import DATE
from widefork.files.workbook.layout import HEAD, YEARS
from widefork.files.workbook.look import CONTROL, FONT, HAIR, INK, number_format
from widefork.files.workbook.material import case_labels
from widefork.files.workbook.results import Years
from widefork.files.workbook.tab import Tab, serial

COLOURS = ("#2f4752", "#15746e", "#bf4e14", "#6a4fb3", "#8a5f00", "#a5266e", "#2b62b8", "#4f6b16")
CASH, ROOM = "cash_after_overdraft", "headroom"
WIDE, HIGH, TABLE, CHARTED = 920, 300, 52, 13
"""Size of a chart, the row the table of all cases begins in below them, and the last column they cover."""


class Charts:
    """Writes the sheet of charts. ``years`` : where fiscal years stand."""

    def __init__(self, tab: Tab, book: Workbook, years: Years) -> None:
        self.tab, self.book, self.years, self.material = tab, book, years, tab.material
        self.turn = 0

    def write(self) -> None:
        """Write the table of all cases' cash, and the charts above it."""
        self.tab.title("Charts", "Drawn from this workbook's cells; cash of all cases as it was when it was written.")
        self.tab.sheet.set_column(0, 0, 26)
        self._cash_by_case()
        if ROOM in self.material.rows_by_line:
            self._room()
        self._by_year()
        self.tab.sheet.print_area(0, 0, TABLE - 2, CHARTED)
        self.tab.sheet.fit_to_pages(1, 1)

    def _cash_by_case(self) -> None:
        sheet, looks, months = self.tab.sheet, self.tab.looks, self.material.months
        sheet.write_string(TABLE, 0, "Cash in all cases, as values", looks.head)
        for place in range(months):
            column = self.material.columns[self.material.first + place]
            at = self.material.counters[DATE]
            day = serial(self.material.timeline.months[place].ordinal)
            sheet.write_formula(TABLE, 1 + place, f"='{at.sheet}'!{column}{at.row + 1}", looks.months, day)
        chart = self._chart("line", "Cash by case")
        look = looks.figure(number_format(0), is_fixed=True)
        for entry, label in enumerate(case_labels(self.material.model)):
            row = TABLE + 1 + entry
            sheet.write_string(row, 0, label, looks())
            for place, value in enumerate(self.material.results.series(CASH, (), entry).tolist()):
                if value == value:
                    sheet.write_number(row, 1 + place, value, look)
            chart.add_series({
                "name": [self.tab.name, row, 0], "categories": [self.tab.name, TABLE, 1, TABLE, months],
                "values": [self.tab.name, row, 1, row, months],
                "line": {"color": COLOURS[entry % len(COLOURS)], "width": 1.75},
            })  # fmt: skip
        self._place(chart)

    def _room(self) -> None:
        at, first = self.material.rows_by_line[ROOM][()], self.material.first
        last, dates = first + self.material.months - 1, self.material.counters[DATE]
        chart = self._chart("column", "Room above the waterline, in the case chosen")
        chart.add_series({
            "name": "Room", "categories": [dates.sheet, dates.row, first, dates.row, last],
            "values": [at.sheet, at.row, first, at.row, last], "fill": {"color": COLOURS[0]}, "gap": 40,
            "invert_if_negative": True, "invert_if_negative_color": COLOURS[2],
        })  # fmt: skip
        chart.set_legend({"none": True})
        self._place(chart)

    def _by_year(self) -> None:
        chart = self._chart("column", "Revenue and EBITDA by fiscal year, in the case chosen")
        first, last = Years.FIRST, Years.FIRST + len(self.years.years) - 1
        for name, colour in (("revenue", COLOURS[0]), ("ebitda", COLOURS[1])):
            row = self.years.rows[name, ()].row
            chart.add_series({
                "name": [YEARS, row, 0], "categories": [YEARS, HEAD - 1, first, HEAD - 1, last],
                "values": [YEARS, row, first, row, last], "fill": {"color": colour},
            })  # fmt: skip
        self._place(chart, is_dated=False)

    # Alike for all

    def _chart(self, kind: str, title: str) -> Chart:
        chart = self.book.add_chart({"type": kind})
        chart.set_title({"name": title, "name_font": {"name": FONT, "size": 12, "color": INK}, "overlay": False})
        return chart

    def _place(self, chart: Chart, is_dated: bool = True) -> None:
        font = {"name": FONT, "size": 9, "color": INK}
        axis = {"num_font": font, "line": {"color": CONTROL}, "label_position": "low"}
        chart.set_x_axis({**axis, "date_axis": True, "num_format": "mmm yy"} if is_dated else axis)
        chart.set_y_axis({
            "num_font": font, "num_format": number_format(0), "line": {"none": True},
            "major_gridlines": {"visible": True, "line": {"color": HAIR, "width": 0.5}},
        })  # fmt: skip
        chart.set_size({"width": WIDE, "height": HIGH})
        self.tab.sheet.insert_chart(3 + self.turn * 16, 0, chart)
        self.turn += 1
