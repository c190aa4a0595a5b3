"""Exponential smoothing: level, trend and season that follow what happens, the form chosen by AICc."""

import warnings
from dataclasses import dataclass
from itertools import product
from typing import Any

import numpy as np

from widefork.core.analysis.trends.methods.method import Method
from widefork.core.analysis.trends.series import Values

SOURCE = (
    "Hyndman, Koehler, Snyder and Grose, A state space framework for automatic forecasting using exponential "
    "smoothing methods, International Journal of Forecasting 18 (2002); statsmodels ETSModel"
)
ROUNDS = 200
LEAST = 8
"""Values from which on a form is chosen."""


@dataclass(frozen=True)
class Smoothing:
    """One form. Each part is added or multiplied, or absent (None).

    Parameters
    ----------
    error, trend, seasonal : ``add``, ``mul`` or None. season : its length.
    """

    error: str
    trend: str | None
    is_damped: bool
    seasonal: str | None
    season: int

    @property
    def words(self) -> str:
        """The parts it has."""
        parts = ["level"]
        if self.trend:
            parts.append("fading trend" if self.is_damped else "trend")
        if self.seasonal:
            parts.append("season as a factor" if self.seasonal == "mul" else "season")
        return ", ".join(parts)

    @property
    def parameter_count(self) -> int:
        """Weights, states to begin with, and the error's size: all are estimated, whichever way they are begun."""
        states = 1 + bool(self.trend) + (self.season - 1 if self.seasonal else 0)
        return 1 + bool(self.trend) + self.is_damped + bool(self.seasonal) + states + 1

    def fitted(self, values: Values) -> Any:
        """Return statsmodels' results on values; what it warns of while it searches is not passed on."""
        from statsmodels.tsa.exponential_smoothing.ets import ETSModel  # imported where used: it is slow to load

        with warnings.catch_warnings(), np.errstate(all="ignore"):
            warnings.simplefilter("ignore")
            model = ETSModel(
                values, error=self.error, trend=self.trend, damped_trend=self.is_damped, seasonal=self.seasonal,
                seasonal_periods=self.season if self.seasonal else None, initialization_method="heuristic",
            )  # fmt: skip
            return model.fit(disp=False, maxiter=ROUNDS)

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return the forecast of the form, its weights estimated on these values."""
        with warnings.catch_warnings(), np.errstate(all="ignore"):
            warnings.simplefilter("ignore")
            return np.asarray(self.fitted(values).forecast(horizon), dtype=float)


def forms_of(values: Values, season: int) -> list[Smoothing]:
    """Return the forms that can be.

    None multiplies where a value is not above 0; an added error goes with an added season only, as the other mixture is
    not stable. Where there is a season, and it was seen twice, all forms have it: on two or three years AICc counts its
    states too dear, and would drop what everybody sees.
    """
    is_above = bool(values.min() > 0)
    errors = ["add", "mul"] if is_above else ["add"]
    has_season = season > 1 and len(values) >= 2 * season
    seasons: list[str | None] = (["add", "mul"] if is_above else ["add"]) if has_season else [None]
    trends: list[tuple[str | None, bool]] = [(None, False), ("add", False), ("add", True)]
    return [
        Smoothing(error, trend, is_damped, seasonal, season)
        for error, (trend, is_damped), seasonal in product(errors, trends, seasons)
        if not (error == "add" and seasonal == "mul")
    ]


def choose_smoothing(values: Values, season: int) -> Smoothing:
    """Return the form with the lowest AICc, the small sample's correction of AIC.

    Raises
    ------
    ValueError: no form can be estimated.
    """
    count, best = len(values), (float("inf"), Smoothing("add", None, False, None, season))
    for form in forms_of(values, season):
        parameters = form.parameter_count
        try:
            likelihood = float(form.fitted(values).llf)
        except (ValueError, ArithmeticError, np.linalg.LinAlgError):
            continue
        if not np.isfinite(likelihood):
            continue
        # The correction is for samples larger than what is estimated; where they are not, it stays at its largest.
        room = max(count - parameters - 1, 1)
        aicc = 2 * parameters - 2 * likelihood + 2 * parameters * (parameters + 1) / room
        best = min(best, (aicc, form), key=lambda each: each[0])
    return best[1]


SMOOTHING = Method("ets", "Level, trend, season", SOURCE, lambda season: LEAST, choose_smoothing)
