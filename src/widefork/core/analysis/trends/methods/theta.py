"""Theta: half of a line's slope added to simple exponential smoothing, the season taken out before and put back."""

import warnings
from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.trends.methods.method import Method
from widefork.core.analysis.trends.series import Values

SOURCE = (
    "Assimakopoulos and Nikolopoulos, The theta model, International Journal of Forecasting 16 (2000); statsmodels "
    "ThetaModel"
)


@dataclass(frozen=True)
class Theta:
    """With or without a season, which multiplies where all values lie above 0."""

    season: int

    @property
    def words(self) -> str:
        """Whether it has a season."""
        return "with season" if self.season > 1 else ""

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return the forecast, estimated on these values."""
        from statsmodels.tsa.forecasting.theta import ThetaModel  # imported where used: it is slow to load

        has_season = self.season > 1 and len(values) >= 2 * self.season
        with warnings.catch_warnings(), np.errstate(all="ignore"):
            warnings.simplefilter("ignore")
            method = "multiplicative" if values.min() > 0 else "additive"
            model = ThetaModel(
                values, period=self.season if has_season else 1, deseasonalize=has_season, use_test=False, method=method
            )
            return np.asarray(model.fit(disp=False).forecast(horizon), dtype=float)


THETA = Method("theta", "Theta", SOURCE, lambda season: 5, lambda values, season: Theta(season))
