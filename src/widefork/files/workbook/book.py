"""Writes a plan as a workbook: every figure a formula where cells can hold one, with the figures of a case in them."""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date
from os import replace
from pathlib import Path
from tempfile import TemporaryDirectory

import xlsxwriter
from xlsxwriter.exceptions import XlsxWriterException

from widefork.core.errors import InvalidValue
from widefork.core.finance.assemble import write_schedules
from widefork.core.graph.plan import Plan
from widefork.files.workbook.charts import Charts
from widefork.files.workbook.contents import Contents
from widefork.files.workbook.inputs import Inputs
from widefork.files.workbook.layout import (
    AFTER,
    BEFORE,
    CASES,
    CHARTS,
    CHECKS,
    CONTENTS,
    CURVES,
    FIGURES,
    INPUTS,
    ROLL_UPS,
    TIME,
    YEARS,
)  # fmt: skip
from widefork.files.workbook.lines import Lines
from widefork.files.workbook.look import Looks
from widefork.files.workbook.material import CASE_NAME, Material
from widefork.files.workbook.others import Cases, write_curves, write_time
from widefork.files.workbook.results import Checks, Figures, Years
from widefork.files.workbook.rolling import Rolling
from widefork.files.workbook.tab import MOST_COLUMNS, PlainSheet, Tab

MEDIA_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
Told = Callable[[int, int], bool]
_LIKE_A_CELL = re.compile(r"[A-Za-z]{1,3}\d+|[rRcC]\d*|[rR]\d*[cC]\d*")


@dataclass(frozen=True)
class Written:
    """What was written.

    Parameters
    ----------
    cells : of calculated lines, months that are actual left out. live : how many of them are formulas.
    fixed : lines that are not, with why.
    """

    cells: int
    live: int
    fixed: Mapping[str, str]


def write_workbook(
    plan: Plan, case: str, path: Path, on: date, told: Told = lambda done, of: True
) -> Written:  # fmt: skip
    """Write a plan's workbook with a case chosen in it; a file that was there is replaced once all is written.

    Parameters
    ----------
    plan : compiled; a sketch on it is left out, as nobody has kept it. case : name of the case. on : the day, as said
        on its first sheet. told : hears how many sheets are done and of how many; False from it leaves the rest.

    Raises
    ------
    UnknownName: no such case. InvalidValue: more months than a sheet has columns, a place that cannot be written to,
        a disk that is full, left; no part of a file stays behind.
    """
    material = Material(plan, case, on)
    needed = material.first + material.months + material.reach.after
    if needed > MOST_COLUMNS:
        raise InvalidValue(f"A sheet has {MOST_COLUMNS:,} columns; {needed:,} would be needed. Shorten the plan.")
    try:
        with TemporaryDirectory(prefix=".workbook-", dir=path.parent) as folder:
            written = _write(material, Path(folder) / "workbook.xlsx", told)
            replace(Path(folder) / "workbook.xlsx", path)
    except (OSError, XlsxWriterException) as fault:
        why = getattr(fault, "strerror", None) or str(fault)
        said = f"The workbook cannot be written: {why}. Free some space, or choose another place."
        raise InvalidValue(said) from fault
    return written


def workbook_name(name: str) -> str:
    """Return a file name for a model's workbook."""
    return ("".join(c if c.isalnum() else "-" for c in name.lower()).strip("-")[:80] or "model") + ".xlsx"


def _write(material: Material, path: Path, told: Told) -> Written:
    book = xlsxwriter.Workbook(str(path), {"in_memory": True})
    book.set_properties({"title": material.model.name, "created": material.on})
    looks = Looks(book)
    names = (*BEFORE, *(sheet.name for sheet in material.layout.sheets), *AFTER)
    tabs = {name: Tab(book.add_worksheet(name, PlainSheet), material, looks) for name in names}
    inputs = Inputs(tabs[INPUTS])
    rolling = Rolling(tabs[ROLL_UPS])
    years = Years(tabs[YEARS], rolling)
    checks = Checks(tabs[CHECKS], rolling, _rolls(material))
    contents = Contents(tabs[CONTENTS], checks)
    writing = [Lines(tabs[sheet.name], sheet, inputs).write for sheet in material.layout.sheets]
    writing += [lambda: write_time(tabs[TIME]), lambda: write_curves(tabs[CURVES]), Cases(tabs[CASES]).write]
    writing += [years.write, Figures(tabs[FIGURES], rolling).write, checks.write]
    writing += [Charts(tabs[CHARTS], book, years).write, lambda: contents.write(names[1:])]
    for done, write in enumerate(writing):
        if not told(done, len(writing) + 1):
            raise InvalidValue("The workbook was left before it was written.")
        write()
    _name_ranges(book, material)
    told(len(writing), len(writing) + 1)
    book.close()
    return Written(material.counted.cells, material.counted.live, material.fixed)


def _rolls(material: Material) -> dict[str, tuple[str, tuple[str, ...], tuple[str, ...]]]:
    """Every schedule's balances by label: the balance, and what adds to it and takes from it."""
    model = material.model
    rolls = [roll for draft in write_schedules(model) for roll in draft.rolls]
    return {model.line(roll.balance).label: (roll.balance, roll.adds, roll.takes) for roll in rolls}


def _name_ranges(book: xlsxwriter.Workbook, material: Material) -> None:
    """Names for every line's months, all its members together, and for the cell that chooses the case."""
    first, last = (material.columns[material.first + place] for place in (0, material.months - 1))
    for line in material.model.lines:
        rows = list(material.rows_by_line[line.name].values())
        name = f"{line.name}_" if _LIKE_A_CELL.fullmatch(line.name) else line.name
        cells = f"${first}${rows[0].row + 1}:${last}${rows[-1].row + 1}"
        book.define_name(name, f"='{rows[0].sheet}'!{cells}")
    book.define_name("case_shown", f"={CASE_NAME}")
