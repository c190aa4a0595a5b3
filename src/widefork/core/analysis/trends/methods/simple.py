"""The simple methods: nothing is estimated but a mean. What is not better than these is not worth its trouble."""

from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.trends.methods.method import Method
from widefork.core.analysis.trends.series import Values

SOURCE = "Hyndman and Athanasopoulos, Forecasting: Principles and Practice, 3rd edition (2021), section 5.2"


@dataclass(frozen=True)
class Naive:
    """The last value, again and again."""

    words: str = ""

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return the last value."""
        return np.full(horizon, values[-1])


@dataclass(frozen=True)
class SeasonalNaive:
    """The last season, again and again."""

    season: int
    words: str = ""

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return the same period of the last season known."""
        return np.resize(values[-self.season :], horizon)


@dataclass(frozen=True)
class Mean:
    """The mean of all that is known."""

    words: str = ""

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return the mean."""
        return np.full(horizon, values.mean())


@dataclass(frozen=True)
class Drift:
    """On along the line from the first value to the last."""

    words: str = ""

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return the last value and the mean step times the periods ahead."""
        step = (values[-1] - values[0]) / (len(values) - 1)
        return np.asarray(values[-1] + step * np.arange(1, horizon + 1))


NAIVE = Method("naive", "Last value", SOURCE, lambda season: 1, lambda values, season: Naive(), is_simple=True)
SEASONAL_NAIVE = Method(
    "seasonal_naive", "Same period last year", SOURCE, lambda season: season,
    lambda values, season: SeasonalNaive(season), is_simple=True,
)  # fmt: skip
MEAN = Method("mean", "Mean", SOURCE, lambda season: 2, lambda values, season: Mean())
DRIFT = Method("drift", "Drift", SOURCE, lambda season: 3, lambda values, season: Drift())
