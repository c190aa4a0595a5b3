"""What a check is, and what it finds."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Month
from widefork.core.finance.assemble import write_schedules
from widefork.core.finance.schedules import Draft
from widefork.core.graph.calculate import Results

TOLERANCE = 1e-6
"""How far statements may differ, as a share of the total of assets in that month of that case, or of 1."""
ROUNDING = 1e-12
"""What adding up large amounts leaves of them in all later months of their case, as a share of the largest so far."""


@dataclass(frozen=True)
class Finding:
    """Something that does not hold.

    Parameters
    ----------
    case : name; empty where it is the same in every case. month : the first it shows in; None for none.
    amount : by how much, in currency or the line's unit; NaN where there is none.
    cause : what most likely lies behind it, as a sentence. line : whose Roots show more; empty for none.
    """

    case: str
    month: Month | None
    amount: float
    cause: str
    line: str = ""


@dataclass(frozen=True)
class Check:
    """A check's entry in the registry.

    Parameters
    ----------
    meaning : what holds where nothing is found, as a sentence.
    is_of_plan : it judges what is planned, not whether the model holds together.
    find : what it finds in a model's results, all cases in one batch in their order.
    """

    name: str
    label: str
    meaning: str
    find: Callable[["Checked"], Iterable[Finding]]
    is_of_plan: bool = False


@dataclass(frozen=True)
class Checked:
    """A model with its results in every case, as checks read it."""

    results: Results

    @property
    def cases(self) -> tuple[str, ...]:
        """Names of the cases, in the order of the batch."""
        return tuple(case.name for case in self.results.plan.model.cases)

    @property
    def months(self) -> tuple[Month, ...]:
        """The months of the model."""
        return self.results.plan.model.timeline.months

    @cached_property
    def drafts(self) -> tuple[Draft, ...]:
        """What each schedule wrote."""
        return write_schedules(self.results.plan.model)

    @cached_property
    def tolerated(self) -> NDArray[np.float64]:
        """How far statements may differ, by month and case, shape (months, cases), in currency.

        Each month of each case by its own size: an absurd amount in one of them must not hide a gap in another.
        """
        known = [np.abs(np.nan_to_num(self.results.values(name))) for name in ("total_assets", "revenue")]
        largest = np.maximum.accumulate(np.maximum(*known), axis=0)
        return TOLERANCE * np.maximum(1.0, known[0]) + ROUNDING * largest

    def months_of(self, line: str) -> NDArray[np.float64]:
        """Return a line without dimensions in every case, shape (months, cases)."""
        return self.results.values(line)

    def series(self, line: str, case: int) -> NDArray[np.float64]:
        """Return a line without dimensions in a case, shape (months,)."""
        return self.results.series(line, (), case)

    def beyond(self, gaps: NDArray[np.float64]) -> dict[int, int]:
        """Return where differences are too large or have no value: by the case's place, the first month's.

        Parameters
        ----------
        gaps : shape (months, cases), in currency.
        """
        wrong = ~(np.abs(gaps) <= self.tolerated)
        return {int(case): int(wrong[:, case].argmax()) for case in np.flatnonzero(wrong.any(axis=0))}
