"""How far off forecasts were: the usual measures, each over the cells of a back-test where something came."""

from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.trends.series import Values

NEAR_ZERO = 0.02
"""Of the mean size of what came: where a value comes nearer to 0 than this, a share of it says nothing."""


@dataclass(frozen=True)
class Accuracy:
    """Measures over a set of errors; NaN where one means nothing here.

    Parameters
    ----------
    mase : mean absolute error over that of the same period a season before, in-sample; Hyndman and Koehler, Another
        look at measures of forecast accuracy, International Journal of Forecasting 22 (2006).
    rmse, mae : in the series' unit. bias : mean of what came less what was said, in the series' unit.
    mape : mean of absolute errors as shares of what came. smape : of 2 |error| / (|came| + |said|), 0 to 2.
    off : mean absolute error over the mean size of what came: a share that zeros do not spoil.
    count : cells measured.
    """

    mase: float
    rmse: float
    mae: float
    bias: float
    mape: float
    smape: float
    off: float
    count: int


def season_scale(known: Values, season: int) -> float:
    """Return the mean absolute difference to the same period a season before, over pairs where both are known; NaN
    where there is none, or nothing ever changed."""
    if len(known) <= season:
        return float("nan")
    steps = np.abs(known[season:] - known[:-season])
    steps = steps[~np.isnan(steps)]
    return float(steps.mean()) if steps.size and steps.mean() > 0 else float("nan")


def measured(came: Values, said: Values, scale: float) -> Accuracy:
    """Return how far off what was said is from what came, over all cells where both are known.

    Parameters
    ----------
    came, said : of one shape. scale : see ``season_scale``.
    """
    known = ~(np.isnan(came) | np.isnan(said))
    true, own = came[known], said[known]
    if not true.size:
        nothing = float("nan")
        return Accuracy(nothing, nothing, nothing, nothing, nothing, nothing, nothing, 0)
    errors = true - own
    size, mae = float(np.abs(true).mean()), float(np.abs(errors).mean())
    is_near_zero = bool(np.abs(true).min() <= NEAR_ZERO * size)
    both = np.abs(true) + np.abs(own)
    return Accuracy(
        mase=mae / scale,
        rmse=float(np.sqrt((errors**2).mean())),
        mae=mae,
        bias=float(errors.mean()),
        mape=float("nan") if is_near_zero else float((np.abs(errors) / np.abs(true)).mean()),
        smape=float("nan") if is_near_zero else float((2 * np.abs(errors) / both).mean()),
        off=mae / size if size else float("nan"),
        count=int(true.size),
    )
