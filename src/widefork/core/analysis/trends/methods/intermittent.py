"""Demand that comes now and then: how much, and how likely, each smoothed apart."""

from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.trends.methods.method import Method
from widefork.core.analysis.trends.series import Values

SOURCE = (
    "Syntetos and Boylan, The accuracy of intermittent demand estimates, International Journal of Forecasting 21 "
    "(2005), after Croston, Operational Research Quarterly 23 (1972)"
)
WEIGHT = 0.1
"""The papers' usual weight of what is new."""


@dataclass(frozen=True)
class Croston:
    """Sizes and intervals of what is not 0, smoothed with the same weight, without the bias of their quotient."""

    weight: float = WEIGHT
    words: str = ""

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return size over interval, times (1 - weight / 2); 0 where nothing ever came."""
        places = np.flatnonzero(values)
        if not places.size:
            return np.zeros(horizon)
        size, interval = float(values[places[0]]), float(places[0] + 1)
        for place, gap in zip(places[1:].tolist(), np.diff(places).tolist(), strict=True):
            size += self.weight * (float(values[place]) - size)
            interval += self.weight * (gap - interval)
        return np.full(horizon, (1 - self.weight / 2) * size / interval)


INTERMITTENT = Method(
    "croston", "Now and then", SOURCE, lambda season: 4, lambda values, season: Croston()
)  # fmt: skip
