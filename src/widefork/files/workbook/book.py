"""Writes a plan as a workbook: every figure a formula where cells can hold one, with the figures of a case in them."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date
from pathlib import Path

import xlsxwriter

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
from widefork.files.workbook.material import Material
from widefork.files.workbook.others import Cases, write_curves, write_time
from widefork.files.workbook.results import Checks, Figures, Years
from widefork.files.workbook.rolling import Rolling
from widefork.files.workbook.tab import PlainSheet, Tab

Told = Callable[[int, int], bool]


@dataclass(frozen=True)
class Written:
    """What was written: cells of calculated lines, how many of them are formulas, and which lines are not, with why."""

    cells: int
    live: int
    fixed: Mapping[str, str]


class _Book:
    def __init__(self, plan: Plan, case: str, path: Path, on: date) -> None:
        self.material = Material(plan, case, on)
        self.book = xlsxwriter.Workbook(str(path))
        self.looks = Looks(self.book)
        names = [sheet.name for sheet in self.material.layout.sheets]
        self.tabs = {
            name: Tab(self.book.add_worksheet(name, PlainSheet), self.material, self.looks)
            for name in (*BEFORE, *names, *AFTER)
        }

    def write(self, told: Told) -> Written:
        inputs = Inputs(self.tabs[INPUTS])
        for layout in self.material.layout.sheets:
            Lines(self.tabs[layout.name], layout, inputs).write()
        write_time(self.tabs[TIME])
        write_curves(self.tabs[CURVES])
        Cases(self.tabs[CASES]).write()
        rolling = Rolling(self.tabs[ROLL_UPS])
        self.years = Years(self.tabs[YEARS], rolling)
        self.years.write()
        Figures(self.tabs[FIGURES], rolling).write()
        Charts(self.tabs[CHARTS], self.book, self.years).write()
        rolls = {
            self.material.model.line(roll.balance).label: roll
            for draft in write_schedules(self.material.model)
            for roll in draft.rolls
        }
        checks = Checks(self.tabs[CHECKS], rolling, rolls)
        checks.write()
        Contents(self.tabs[CONTENTS], checks.broken).write([name for name in self.tabs if name != CONTENTS])
        self.book.close()
        counted = self.material.counted
        return Written(counted.cells, counted.live, self.material.fixed)


def write_workbook(plan: Plan, case: str, path: Path, on: date, told: Told = lambda done, of: True) -> Written:
    """Write a plan's workbook with a case chosen in it."""
    return _Book(plan, case, path, on).write(told)
