"""Ways of looking at what happened: by longer periods, in trend, season and rest, one series against another."""

from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.trends.gaps import filled_gaps
from widefork.core.analysis.trends.season import found_season
from widefork.core.analysis.trends.series import PERIODS, Series, Values
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue
from widefork.core.history import Gaps

FEWEST_TOGETHER = 3
STEADY = 35
"""Seasons over which the shape of one is smoothed."""


def gathered(series: Series, per_year: int, adds_up: bool, year_starts: int = 1) -> Series:
    """Return a series by longer periods, those that are not whole unknown.

    Parameters
    ----------
    per_year : periods a year, not more than it has. adds_up : sums; else means.
    year_starts : the month of the year with which years, and so their halves and quarters, begin.

    Raises
    ------
    InvalidValue: periods shorter than its own.
    """
    if per_year > series.per_year or series.per_year % per_year:
        wanted = PERIODS.get(per_year, "period")
        raise InvalidValue(f"{series.name} is known by {series.period}; it cannot be shown by {wanted}.")
    months, count = 12 // per_year, series.per_year // per_year
    if count == 1:
        return series
    back = (series.start.month - year_starts) % months
    first = series.start.plus(-back)
    lead = back * series.per_year // 12
    total = -(-(lead + len(series.values)) // count) * count
    padded = np.full(total, np.nan)
    padded[lead : lead + len(series.values)] = series.values
    parts = padded.reshape(-1, count)
    return Series(series.name, first, parts.sum(axis=1) if adds_up else parts.mean(axis=1), per_year)


@dataclass(frozen=True)
class Parts:
    """A series taken apart, which add up to it: each of shape (periods,), gaps filled between those beside."""

    series: Series
    season: int
    trend: Values
    seasonal: Values
    rest: Values


def parts_of(series: Series) -> Parts:
    """Return trend, season and rest of a series.

    Raises
    ------
    InvalidValue: no season, or less than two of them.

    Source: Cleveland, Cleveland, McRae and Terpenning, STL: A seasonal-trend decomposition procedure based on loess,
    Journal of Official Statistics 6 (1990), as in statsmodels; robust, so that single odd values stay in the rest.
    """
    own = series.without_ends()
    filled = filled_gaps(own.values, Gaps.INTERPOLATE, own.per_year)
    season = found_season(own, filled)
    if season <= 1 or len(filled) < 2 * season:
        raise InvalidValue(
            f"{series.name} shows no season over at least two whole ones; there is nothing to take apart."
        )
    from statsmodels.tsa.seasonal import STL

    # Over a few years a season of its own for each would follow every value and leave no rest.
    found = STL(filled, period=season, seasonal=STEADY, seasonal_deg=0, robust=True).fit()
    return Parts(own, season, np.asarray(found.trend), np.asarray(found.seasonal), np.asarray(found.resid))


@dataclass(frozen=True)
class Together:
    """Two series in the periods both are known in: their values, and how far they go together (-1 to 1)."""

    months: tuple[Month, ...]
    one: Values
    other: Values
    correlation: float


def together(one: Series, other: Series) -> Together:
    """Return two series of the same periods against one another.

    Raises
    ------
    InvalidValue: periods of different lengths, or fewer than three known in both.
    """
    if one.per_year != other.per_year:
        raise InvalidValue(f"{one.name} is by {one.period}, {other.name} by {other.period}; choose periods both have.")
    by_month = {other.month_at(place): float(value) for place, value in enumerate(other.values)}
    pairs = [
        (one.month_at(place), float(value), by_month[one.month_at(place)])
        for place, value in enumerate(one.values)
        if one.month_at(place) in by_month
    ]
    known = [pair for pair in pairs if pair[1] == pair[1] and pair[2] == pair[2]]
    if len(known) < FEWEST_TOGETHER:
        raise InvalidValue(
            f"{one.name} and {other.name} are known together in {len(known)} {one.period}s; 3 are needed."
        )
    months, first, second = zip(*known, strict=True)
    x, y = np.array(first), np.array(second)
    varies = np.ptp(x) > 0 and np.ptp(y) > 0
    return Together(tuple(months), x, y, float(np.corrcoef(x, y)[0, 1]) if varies else float("nan"))
