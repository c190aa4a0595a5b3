"""A modeller's own flags and counters: months that are marked, or counted, for all formulas to use by name."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Month, Timeline
from widefork.core.errors import InvalidModel


@dataclass(frozen=True)
class Flag:
    """A named mark on months: in operation, in season, since the opening.

    Parameters
    ----------
    name : str. As formulas use it.
    first, last : Month or None. Inclusive; None is open.
    months_of_year : 1 to 12; only these months of the calendar are marked. Empty for all.
    counts : bool. Instead of 1 and 0: how many marked months there have been, this one included. Counted from
        ``first``, even where that lies before the timeline's start.

    Raises
    ------
    InvalidModel: a range that ends before it begins, or months of the year outside 1 to 12.
    """

    name: str
    label: str
    first: Month | None = None
    last: Month | None = None
    months_of_year: tuple[int, ...] = ()
    counts: bool = False
    note: str = ""

    def __post_init__(self) -> None:
        place = f"flags/{self.name}"
        if self.first is not None and self.last is not None and self.last < self.first:
            raise InvalidModel(f"The flag ends in {self.last}, before it begins in {self.first}.", place)
        if not all(1 <= month <= 12 for month in self.months_of_year):
            raise InvalidModel("Months of the year go from 1 (January) to 12.", place)

    def marks(self, month: Month) -> bool:
        """Whether a month is marked."""
        within = (self.first is None or month >= self.first) and (self.last is None or month <= self.last)
        return within and (not self.months_of_year or month.month in self.months_of_year)

    def values(self, timeline: Timeline) -> NDArray[np.float64]:
        """Return 1 or 0, or the count, for each month, shape (months,)."""
        marked = np.array([self.marks(month) for month in timeline.months], dtype=float)
        if not self.counts:
            return marked
        early = 0 if self.first is None else timeline.start.ordinal - self.first.ordinal
        counted = sum(self.marks(timeline.start.plus(-back)) for back in range(1, early + 1))
        return np.asarray(counted + marked.cumsum())
