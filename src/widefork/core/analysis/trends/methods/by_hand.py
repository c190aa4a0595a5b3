"""Simple ways that a person sets an amount of: tested beside the methods, never proposed by themselves."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.trends.methods.method import Method
from widefork.core.analysis.trends.series import Values
from widefork.core.errors import InvalidValue

SOURCE = "common practice"


@dataclass(frozen=True)
class LastYear:
    """The same period of the year before, so much more each year."""

    per_year: int
    rate: float
    words: str = ""

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return the periods a year before, times growth; those further ahead from the forecast itself."""
        years = np.arange(horizon) // self.per_year + 1
        return np.asarray(np.resize(values[-self.per_year :], horizon) * (1 + self.rate) ** years)


@dataclass(frozen=True)
class MeanOfLast:
    """The mean of the latest periods, again and again."""

    count: int
    words: str = ""

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return the mean of as many as were asked for."""
        return np.full(horizon, values[-self.count :].mean())


@dataclass(frozen=True)
class ShapeOfYears:
    """The latest year's total, so much more each year, spread as past years were on the mean."""

    per_year: int
    rate: float
    words: str = ""

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return each year's total by the shape; raise ValueError where a past year's total is not above 0."""
        whole = len(values) // self.per_year * self.per_year
        years = values[len(values) - whole :].reshape(-1, self.per_year)
        totals = years.sum(axis=1)
        if not (totals > 0).all():
            raise ValueError("a year of nothing has no shape")
        shape = (years / totals[:, None]).mean(axis=0)
        later = np.arange(horizon) // self.per_year + 1
        return np.asarray(np.resize(shape, horizon) * totals[-1] * (1 + self.rate) ** later)


def last_year(rate: float, per_year: int) -> Method:
    """Return ``last_year`` at a rate; raise InvalidValue for one of -100 % or less."""
    if not rate > -1:
        raise InvalidValue(f"Growth on last year is more than -100 %; {rate * 100:g} % was given.")
    label = f"Last year {rate * 100:+.3g} %" if rate else "Last year as it was"
    return Method("last_year", label, SOURCE, lambda season: per_year, lambda *_: LastYear(per_year, rate))


def shape_of_years(rate: float, per_year: int) -> Method:
    """Return ``shape_of_years`` at a rate; raise InvalidValue for one of -100 % or less."""
    if not rate > -1:
        raise InvalidValue(f"Growth on the latest year is more than -100 %; {rate * 100:g} % was given.")
    label = f"Past years’ shape, a year {rate * 100:+.3g} %" if rate else "Past years’ shape, as much a year"
    least = 2 * per_year
    return Method("shape_of_years", label, SOURCE, lambda season: least, lambda *_: ShapeOfYears(per_year, rate))


def mean_of_last(count: float, per_year: int) -> Method:
    """Return ``mean_of_last`` so many; raise InvalidValue for less than one, or a part."""
    if count < 1 or count != int(count):
        raise InvalidValue(f"The mean is of 1, 2, 3 or more of the last; {count:g} was given.")
    label = "Last value" if count == 1 else f"Mean of the last {int(count)}"
    return Method("mean_of_last", label, SOURCE, lambda season: int(count), lambda *_: MeanOfLast(int(count)))


BY_HAND: dict[str, Callable[[float, int], Method]] = {
    "last_year": last_year,
    "shape_of_years": shape_of_years,
    "mean_of_last": mean_of_last,
}
