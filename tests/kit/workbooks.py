"""Workbooks of models, and what is compared of them."""

from datetime import date

import numpy as np

from tests.kit.office import with_cells
from widefork.files.workbook import write_workbook
from widefork.files.workbook.material import Material, case_labels

DAY = date(2026, 12, 1)
NEAR = 1e-6
"""How far two programs may differ, as a share of the value or of 1."""
NOISE = 1e-12
"""What adding and taking away the largest amounts leaves of nothing, as their share."""


class Book:
    """A model's workbook, with where everything stands in it."""

    def __init__(self, plan, folder, name, case=None):
        self.plan, self.model = plan, plan.model
        self.case = case or plan.model.cases[0].name
        self.material = Material(plan, self.case, DAY)
        self.path = folder / f"{name}.xlsx"
        self.written = write_workbook(plan, self.case, self.path, DAY)
        self.labels = case_labels(plan.model)

    def with_case(self, place, more=()):
        """Write a copy in which another case is chosen, and other cells are as said."""
        target = self.path.with_stem(f"{self.path.stem}-{place}-{len(more)}")
        return with_cells(self.path, target, {("Cases", "B1"): self.labels[place], **dict(more)})

    def wrong(self, rows, results, entry, lines=None):
        """Compare every line, member and month; return how many there are and those that differ."""
        every = [values[np.isfinite(values)] for values in results.arrays.values()]
        largest = max(float(np.abs(values).max(initial=0)) for values in every)
        noise, count, found = NOISE * largest, 0, []
        for (name, key), at in self.material.layout.lines.items():
            if name not in self.model.line_by_name or (lines is not None and name not in lines):
                continue
            cells = rows[at.sheet][at.row][self.material.first :]
            for month, value in enumerate(results.series(name, key, entry).tolist()):
                count += 1
                if not alike(cells[month] if month < len(cells) else "", value, noise):
                    found.append((name, key, month, cells[month], value))
        return count, found


def alike(cell, value, noise=0.0):
    """Whether a cell says what we say: the number, or none where there is none."""
    if not np.isfinite(value):
        return not isinstance(cell, int | float)
    return isinstance(cell, int | float) and abs(cell - value) <= NEAR * max(1, abs(value)) + noise
