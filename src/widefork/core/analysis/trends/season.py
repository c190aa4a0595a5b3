"""How long a season is, and how strong: found in what happened, or set by the modeller."""

import numpy as np

from widefork.core.analysis.trends.series import Series, Values
from widefork.core.errors import InvalidValue

STRONG = 0.3
"""Autocorrelation at a season's lag, the trend taken out, from which on it is taken for one."""


def found_season(series: Series, filled: Values) -> int:
    """Return the length of the season in periods: a year, where the year returns; else 1, for none.

    Parameters
    ----------
    filled : the series' values without gaps, shape (periods,).

    Notes
    -----
    With less than two years and a half a season cannot be told from one odd year: it is taken for a year where the
    second year goes up and down with the first.
    """
    length = series.per_year
    if length == 1 or len(filled) < length + max(2, length // 2):
        return 1
    return length if season_strength(filled, length) >= STRONG else 1


def season_strength(filled: Values, length: int) -> float:
    """Return the autocorrelation at the lag of a season once the trend is out, -1 to 1; 0 for what does not vary.

    The trend is a straight line, of the logarithms where all values lie above 0 and their range is wide.
    """
    values = np.log(filled) if filled.min() > 0 and filled.max() > 3 * filled.min() else filled
    if len(values) >= 3 * length:  # differences take out trends that bend as well
        steps = np.diff(values)
        rest = steps - steps.mean()
    else:
        places = np.arange(len(values), dtype=float)
        rest = values - np.polyval(np.polyfit(places, values, 1), places)
    total = float(rest @ rest)
    if total <= 1e-18 * max(1.0, float(values @ values)):
        return 0.0
    return float(rest[length:] @ rest[:-length]) / total * len(rest) / (len(rest) - length)


def check_season(length: int, count: int) -> int:
    """Return a season's length that was set.

    Raises
    ------
    InvalidValue: below 1, or longer than half of what is known.
    """
    if length < 1:
        raise InvalidValue(f"A season lasts at least one period; {length} was given.")
    if 2 * length > count:
        raise InvalidValue(
            f"A season of {length} needs at least {2 * length} values to be seen twice; {count} are known. "
            "Set a shorter one, or 1 for none."
        )
    return length
