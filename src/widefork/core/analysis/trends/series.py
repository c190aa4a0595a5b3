"""A series of what happened: equal periods one after the other, unknown where nothing is known."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Month
from widefork.core.errors import InvalidValue

Values = NDArray[np.float64]
PERIODS = {12: "month", 4: "quarter", 2: "half-year", 1: "year"}
"""How many periods a year has, and what one is called."""
SHORTEST = 3
"""Fewer known values than this say nothing of what comes next."""


@dataclass(frozen=True)
class Series:
    """What happened, period by period.

    Parameters
    ----------
    name : what it is called where something is said of it. start : first month of the first period.
    values : shape (periods,), NaN where nothing is known. per_year : 12 months, 4 quarters, 2 half-years or 1 year.

    Raises
    ------
    InvalidValue: values that are infinite, or periods that are none of these.
    """

    name: str
    start: Month
    values: Values
    per_year: int = 12

    def __post_init__(self) -> None:
        if self.per_year not in PERIODS:
            raise InvalidValue(f"A series is by month, quarter, half-year or year; {self.per_year} a year was given.")
        if np.isinf(self.values).any():
            raise InvalidValue(f"{self.name} has a value that is no number; leave what is unknown empty.")

    @property
    def period(self) -> str:
        """What one of its periods is called."""
        return PERIODS[self.per_year]

    @property
    def known_count(self) -> int:
        """How many values are known."""
        return int((~np.isnan(self.values)).sum())

    def month_at(self, place: int) -> Month:
        """Return the first month of a period, also of one before or after all that is known."""
        return self.start.plus(place * 12 // self.per_year)

    def label_at(self, place: int) -> str:
        """Return what a period is called: ``2026-07``, ``2026-Q3``, ``2026-H2`` or ``2026``."""
        month = self.month_at(place)
        number = (month.month - 1) * self.per_year // 12 + 1
        match self.per_year:
            case 12:
                return str(month)
            case 4:
                return f"{month.year}-Q{number}"
            case 2:
                return f"{month.year}-H{number}"
        return str(month.year)

    def without_ends(self) -> "Series":
        """Return the series from its first known value to its last.

        Raises
        ------
        InvalidValue: nothing is known at all.
        """
        known = np.flatnonzero(~np.isnan(self.values))
        if not known.size:
            raise InvalidValue(f"{self.name} has no values; give it at least {SHORTEST} {self.period}s.")
        first, last = int(known[0]), int(known[-1])
        return replace(self, start=self.month_at(first), values=self.values[first : last + 1])
