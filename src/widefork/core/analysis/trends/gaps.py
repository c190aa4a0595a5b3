"""Gaps in a series, filled so that methods can go over them; what was filled is never scored."""

from collections.abc import Sequence

import numpy as np

from widefork.core.analysis.trends.series import Series, Values
from widefork.core.axes import Month
from widefork.core.history import Gaps


def filled_gaps(values: Values, gaps: Gaps, per_year: int) -> Values:
    """Return values without gaps, the same shape.

    Parameters
    ----------
    values : the first and the last are known. gaps : what is left, methods still need to go over: it is interpolated
        for them, like ``interpolate``, and only not taken for something that happened.
    per_year : how many periods a year has. From the same period of a year before, grown as what is known on both sides
        of the gap has grown since then; where there is no year before, the gap is interpolated.
    """
    unknown = np.isnan(values)
    if not unknown.any():
        return values
    places = np.arange(len(values))
    known = ~unknown
    line = np.interp(places, places[known], values[known])
    match gaps:
        case Gaps.ZERO:
            return np.where(unknown, 0.0, values)
        case Gaps.LAST_YEAR:
            return _from_last_year(values, line, per_year)
    return line


def _from_last_year(values: Values, line: Values, per_year: int) -> Values:
    found = values.copy()
    for place in np.flatnonzero(np.isnan(values)).tolist():
        before = place - per_year
        if before < 0:
            found[place] = line[place]
            continue
        beside = [at for at in (place - 1, place + 1) if at - per_year >= 0 and at < len(line)]
        growth = np.mean([line[at] for at in beside]) if beside else line[place]
        earlier = np.mean([line[at - per_year] for at in beside]) if beside else line[before]
        found[place] = found[before] * growth / earlier if earlier > 0 and growth > 0 else found[before]
    return found


def filled_by(series: Series, gaps: Gaps, fills: Sequence[tuple[Month, Gaps]]) -> Values:
    """Return values without gaps: single ones, by any month of theirs, as was said of them, all others as usual."""
    filled = filled_gaps(series.values, gaps, series.per_year).copy()
    for month, way in fills:
        place = (month.ordinal - series.start.ordinal) * series.per_year // 12
        if 0 <= place < len(filled) and np.isnan(series.values[place]):
            filled[place] = filled_gaps(series.values, way, series.per_year)[place]
    return filled
