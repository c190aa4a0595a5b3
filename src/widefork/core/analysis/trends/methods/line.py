"""A straight line with a season: ordinary least squares on time and one step for each period of the year."""

from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.trends.methods.method import Method
from widefork.core.analysis.trends.series import Values

SOURCE = "Hyndman and Athanasopoulos, Forecasting: Principles and Practice, 3rd edition (2021), section 7.4"
WIDE = 3.0
"""From how many times the smallest value the largest is on, growth and season are taken for factors."""


@dataclass(frozen=True)
class LineWithSeason:
    """Time and season, of the amounts or of their logarithms."""

    season: int
    in_logs: bool

    @property
    def words(self) -> str:
        """Whether of amounts or of factors."""
        return "growth and season as factors" if self.in_logs else ""

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return the line with its season."""
        own = np.log(values) if self.in_logs and values.min() > 0 else values
        known, ahead = self._design(0, len(values)), self._design(len(values), horizon)
        found, *_ = np.linalg.lstsq(known, own, rcond=None)
        line = ahead @ found
        return np.asarray(np.exp(line) if self.in_logs and values.min() > 0 else line)

    def _design(self, start: int, count: int) -> Values:
        places = np.arange(start, start + count)
        columns = [np.ones(count), places.astype(float)]
        columns += [(places % self.season == each).astype(float) for each in range(1, self.season)]
        return np.column_stack(columns)


def _choose(values: Values, season: int) -> LineWithSeason:
    return LineWithSeason(season, bool(values.min() > 0 and values.max() > WIDE * values.min()))


LINE = Method("line", "Straight line, with season", SOURCE, lambda season: max(4, 2 * season), _choose)
