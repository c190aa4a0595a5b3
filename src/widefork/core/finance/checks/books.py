"""Checks of months closed: what the books and the plan's movements leave unexplained of one another."""

from collections.abc import Iterator

import numpy as np

from widefork.core.finance.books import unexplained_lines
from widefork.core.finance.checks.check import Check, Checked, Finding
from widefork.core.finance.checks.inputs import TOLERATED


def _unexplained(checked: Checked) -> Iterator[Finding]:
    model = checked.results.plan.model
    for line in unexplained_lines(model):
        moved = checked.series(line.name, 0)  # no case changes an actual month
        places = np.flatnonzero(~(np.abs(moved) <= TOLERATED))
        if places.size:
            first = int(places[0])
            cause = f"{line.label}: the books and what moves it differ. A movement is missing, or an amount is wrong."
            yield Finding("", checked.months[first], float(moved[first]), cause, line.name)


UNEXPLAINED = Check(
    "unexplained", "Months closed", "The books are explained by the movements the model knows.", _unexplained,
    is_of_plan=True,
)  # fmt: skip
