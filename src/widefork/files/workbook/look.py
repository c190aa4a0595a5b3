"""How cells look: narrow figures on white, heads on the ground colour, what is written by hand in a box."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import xlsxwriter
from xlsxwriter.format import Format

from widefork.core.lines import Line
from widefork.core.look import Scale

GROUND, ACTUAL, INK, MUTED, HAIR, CONTROL = "#f1f4f1", "#e9eeea", "#14232a", "#55656b", "#d3dbd6", "#6f8083"
SAND = "#f6efe0"
FONT, SIZE = "Arial Narrow", 10
MONTH = "mmm yy"
_IN_PARTS = frozenset({"", "heads", "FTE"})
"""A plain number, and people: half a post is a post."""
_SCALED = {Scale.THOUSANDS: ",", Scale.MILLIONS: ",,"}


def number_format(decimals: int, after: str = "") -> str:
    """Return a format with grouped thousands, a true minus sign, and a dash for nothing."""
    digits = "#,##0" + ("." + "0" * decimals if decimals else "") + after
    return f'{digits};"−"{digits};"–"'


def format_of(line: Line, decimals_by_unit: Mapping[str, int]) -> str:
    """Return a line's number format: as it asks to be shown, else as its unit suggests."""
    scale, unit = line.look.scale, line.unit
    after = "%" if unit.startswith("%") or scale is Scale.PERCENT else _SCALED.get(scale, "") if scale else ""
    if line.look.decimals is not None:
        return number_format(line.look.decimals, after)
    if scale in _SCALED:
        return number_format(0, after)
    usual = 1 if after == "%" else 2 if "/" in unit else 1 if unit in _IN_PARTS else 0
    return number_format(decimals_by_unit.get(unit, usual), after)


@dataclass
class Looks:
    """Cell formats of a workbook, each made once."""

    book: xlsxwriter.Workbook
    known: dict[tuple[tuple[str, object], ...], Format] = field(default_factory=dict)

    def __call__(self, **asked: object) -> Format:
        """Return a format with the properties asked for, upon the usual font and ink."""
        key = tuple(sorted(asked.items()))
        if key not in self.known:
            usual = {"font_name": FONT, "font_size": SIZE, "font_color": INK, "valign": "top"}
            self.known[key] = self.book.add_format({**usual, **asked})
        return self.known[key]

    def figure(self, number: str, is_actual: bool = False, is_fixed: bool = False, is_strong: bool = False) -> Format:
        """Return the format of a month's figure: actual months shaded, what is no formula in sand and slanted."""
        asked: dict[str, object] = {"num_format": number}
        if is_strong:
            asked |= {"bold": True, "top": 1, "top_color": CONTROL}
        if is_actual:
            asked["bg_color"] = ACTUAL
        elif is_fixed:
            asked |= {"bg_color": SAND, "italic": True}
        return self(**asked)

    def written_in(self, number: str = "General") -> Format:
        """Return the format of a cell somebody may write in."""
        return self(num_format=number, border=1, border_color=CONTROL)

    @property
    def title(self) -> Format:
        """A sheet's title."""
        return self(bold=True, font_size=14)

    @property
    def quiet(self) -> Format:
        """What stands beside figures."""
        return self(font_color=MUTED)

    @property
    def head(self) -> Format:
        """A head of columns."""
        return self(bold=True, bg_color=GROUND, bottom=1, bottom_color=CONTROL)

    @property
    def head_right(self) -> Format:
        """A head of columns of figures."""
        return self(bold=True, bg_color=GROUND, bottom=1, bottom_color=CONTROL, align="right")

    @property
    def heading(self) -> Format:
        """A heading among rows."""
        return self(bold=True, font_color=MUTED, bottom=1, bottom_color=HAIR)

    @property
    def months(self) -> Format:
        """Months in a head."""
        return self(bold=True, bg_color=GROUND, num_format=MONTH, align="right")
