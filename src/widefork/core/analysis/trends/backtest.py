"""Back-tests: every method forecasts from earlier ends of the same history, and is held against what came.

Rolling origins after Tashman, Out-of-sample tests of forecasting accuracy, International Journal of Forecasting 16
(2000). Orders are chosen once, at the earliest origin, so that none has seen what it is tested on.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.trends.methods import Fit, Method
from widefork.core.analysis.trends.series import Values
from widefork.core.errors import InvalidValue

MOST_ORIGINS = 14
Told = Callable[[int, int], bool]
"""Hears how much is done, and of how much; says whether to go on."""
EARLIEST = 6
"""Values a test starts from at the least, and half of all."""


@dataclass(frozen=True)
class Tested:
    """One method's forecasts from every origin.

    Parameters
    ----------
    method : its name. fit : its orders as chosen at the earliest origin.
    ahead : what it said, shape (origins, horizon); NaN where it could not say, or nobody knows what came.
    """

    method: str
    fit: Fit | None
    ahead: Values


@dataclass(frozen=True)
class BackTest:
    """Every method's forecasts beside what came.

    Parameters
    ----------
    origins : how many values each test knew. came : what came, shape (origins, horizon), NaN where unknown.
    tested : by method. refused : by method, why it was not tried.
    """

    origins: tuple[int, ...]
    came: Values
    tested: Mapping[str, Tested]
    refused: Mapping[str, str]

    def errors(self, method: str) -> Values:
        """Return what came less what a method said, shape (origins, horizon)."""
        return np.asarray(self.came - self.tested[method].ahead)

    def mean_of(self, methods: Sequence[str]) -> Values:
        """Return the mean of what several methods said, shape (origins, horizon)."""
        return np.asarray(np.mean([self.tested[method].ahead for method in methods], axis=0))


def origins_of(count: int, horizon: int, season: int, most: int = MOST_ORIGINS) -> tuple[int, ...]:
    """Return the ends a series is tested from: how many of its values each knows, evenly apart, the latest one short.

    The first knows two seasons where that leaves enough to test on, and half of the series in any case. Not more than
    the horizon and three seasons back are tested, so that what is long past does not decide.
    """
    wanted = 2 * season + 2 if season > 1 else EARLIEST
    first = max(min(wanted, count - max(2, min(horizon, count // 4))), count // 2, min(EARLIEST, count - 2), 2)
    first = max(first, count - horizon - 3 * max(season, 4))
    last = count - 1
    if last < first:
        return ()
    places = np.linspace(first, last, min(most, last - first + 1)).round()
    return tuple(dict.fromkeys(int(place) for place in places))


def run_back_test(
    values: Values,
    known: Values,
    season: int,
    horizon: int,
    methods: Sequence[Method],
    most: int = MOST_ORIGINS,
    told: Told = lambda done, of: True,
) -> BackTest:
    """Return what every method said from earlier ends of a history.

    Parameters
    ----------
    values : shape (periods,), gaps filled. known : the same with NaN where a value was filled; those are not scored.
    season : its length, 1 for none. horizon : periods ahead. methods : those to be tried.
    told : hears how many tests are done, and of how many; False from it leaves the rest.

    Raises
    ------
    InvalidValue: left.
    """
    origins = origins_of(len(values), horizon, season, most)
    came = np.full((len(origins), horizon), np.nan)
    for row, origin in enumerate(origins):
        part = known[origin : origin + horizon]
        came[row, : len(part)] = part
    tested: dict[str, Tested] = {}
    refused: dict[str, str] = {}
    for place, method in enumerate(methods):
        done = place * len(origins)
        least = method.least(season)
        if not origins or origins[0] < least:
            refused[method.name] = (
                f"needs {least} values before the first test; there are {origins[0] if origins else 0}"
            )
            continue
        found = _tested(method, values, season, origins, horizon, _listening(told, done, len(methods) * len(origins)))
        if found is None:
            refused[method.name] = "could not be estimated on this series"
        else:
            tested[method.name] = found
    return BackTest(origins, came, tested, refused)


def _listening(told: Told, before: int, of: int) -> Callable[[int], None]:
    """Says how many tests of a method are done; raises InvalidValue where nobody waits any more."""

    def listening(done: int) -> None:
        if not told(before + done, of):
            raise InvalidValue("The forecast was left, as nobody asked for it any more. Ask again.")

    return listening


def _tested(
    method: Method,
    values: Values,
    season: int,
    origins: Sequence[int],
    horizon: int,
    listening: Callable[[int], None],
) -> Tested | None:
    """Return a method's forecasts; None where it cannot be estimated on half of the ends."""
    ahead = np.full((len(origins), horizon), np.nan)
    try:
        fit = method.choose(values[: origins[0]], season)
    except (ValueError, ArithmeticError, np.linalg.LinAlgError):
        return None
    largest = float(np.abs(values).max())
    for row, origin in enumerate(origins):
        listening(row)
        try:
            said = fit.ahead(values[:origin], horizon)
        except (ValueError, ArithmeticError, np.linalg.LinAlgError):
            continue
        if np.isfinite(said).all() and np.abs(said).max() <= 1e3 * max(largest, 1e-300):
            ahead[row] = said
    failed = np.isnan(ahead).all(axis=1)
    if failed.mean() > 0.5:
        return None
    return Tested(method.name, fit, ahead)
