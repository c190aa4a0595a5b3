"""Autoregression and moving averages of differences, with a season, of logarithms where growth is a factor."""

import warnings
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from widefork.core.analysis.trends.methods.method import Method
from widefork.core.analysis.trends.season import season_strength
from widefork.core.analysis.trends.series import Values

SOURCE = "Box and Jenkins, Time Series Analysis (1970); statsmodels SARIMAX"
ROUNDS = 50
WIDE = 3.0
STRONG = 0.4
"""Autocorrelation at a season's lag from which on the season is differenced."""
Order = tuple[int, int, int]


@dataclass(frozen=True)
class Arima:
    """Orders: autoregressive, differences, moving average; and the same of the season.

    Parameters
    ----------
    amounts : of its terms, estimated on the values it was chosen on: to estimate them anew at every test would take
        ten times as long. Empty where they are not known yet.
    """

    order: Order
    seasonal: Order
    season: int
    in_logs: bool
    amounts: tuple[float, ...] = ()

    @property
    def words(self) -> str:
        """The orders as they are written."""
        season = f" ({','.join(map(str, self.seasonal))}) of {self.season}" if any(self.seasonal) else ""
        return f"({','.join(map(str, self.order))}){season}{', of logarithms' if self.in_logs else ''}"

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return the forecast: what happened since goes through with the amounts found, or estimated where none are."""
        own = self._own(values)
        amounts = self.amounts or self.estimated(values)[1].amounts
        with warnings.catch_warnings(), np.errstate(all="ignore"):
            warnings.simplefilter("ignore")
            found = np.asarray(self._model(own, False).filter(amounts).forecast(horizon), dtype=float)
        return np.exp(found) if own is not values else found

    def estimated(self, values: Values) -> tuple[float, "Arima"]:
        """Return AICc on these values, comparable among the same differences and logarithms only, and the same orders
        with the amounts found."""
        with warnings.catch_warnings(), np.errstate(all="ignore"):
            warnings.simplefilter("ignore")
            found = self._model(self._own(values), True).fit(disp=False, maxiter=ROUNDS)
        return float(found.aicc), replace(self, amounts=tuple(np.asarray(found.params).tolist()))

    def _own(self, values: Values) -> Values:
        return np.log(values) if self.in_logs and values.min() > 0 else values

    def _model(self, values: Values, is_differenced: bool) -> Any:
        from statsmodels.tsa.statespace.sarimax import SARIMAX  # imported where used: it is slow to load

        return SARIMAX(
            values, order=self.order, seasonal_order=(*self.seasonal, self.season if any(self.seasonal) else 0),
            simple_differencing=is_differenced,
        )  # fmt: skip


def choose_arima(values: Values, season: int) -> Arima:
    """Return the orders with the lowest AICc out of a few that serve most series.

    Differences are set before, as AICc compares only among the same: one, and one of the season where it is strong.
    """
    in_logs = bool(values.min() > 0 and values.max() > WIDE * values.min())
    own = np.log(values) if in_logs else values
    is_seasonal = season > 1 and len(values) >= 2 * season and season_strength(own, season) >= STRONG
    seasons: list[Order] = [(0, 1, 1)] if is_seasonal else [(0, 0, 0)]
    candidates = [
        Arima(order, seasonal, season, in_logs) for order in ((0, 1, 1), (1, 1, 0), (1, 1, 1)) for seasonal in seasons
    ]
    best = (float("inf"), candidates[0])
    for candidate in candidates:
        try:
            found = candidate.estimated(values)
        except (ValueError, ArithmeticError, np.linalg.LinAlgError):
            continue
        best = min(best, found, key=lambda each: each[0] if np.isfinite(each[0]) else float("inf"))
    return best[1]


ARIMA = Method("arima", "Differences, with season", SOURCE, lambda season: 12, choose_arima)
