"""What random draws of the assumptions do to figures, to money and to what was promised."""

from widefork.core.analysis.chance.chance import FAN, Chance, Driver, Fan, Known, run_chance
from widefork.core.analysis.chance.correlation import nearest_correlations
from widefork.core.analysis.chance.distributions import (
    Discrete,
    Distribution,
    Lognormal,
    Normal,
    Pert,
    Triangular,
    Uniform,
)
from widefork.core.analysis.chance.fit import fitted
from widefork.core.analysis.chance.indices import Index, crossed_points, shares_of_variance, sobol_indices
from widefork.core.analysis.chance.layout import Layout, lay_out
from widefork.core.analysis.chance.points import SCRAMBLINGS, Design, Points
from widefork.core.analysis.chance.quantiles import MOST_EXACT, Quantiles
from widefork.core.analysis.chance.spreads import Spread, correlations_of, hoped_for, spread_of, usual_spreads
from widefork.core.analysis.chance.sweep import BATCH, Progress, Sweep, Tally, run_sweep, tally
from widefork.core.spreads import USUAL_SHARE, Applied, Redrawn, Shape, SpreadSetting, spread_name

__all__ = [
    "BATCH", "FAN", "MOST_EXACT", "SCRAMBLINGS", "USUAL_SHARE", "Applied", "Chance", "Design", "Discrete",
    "Distribution", "Driver", "Fan", "Index", "Known", "Layout", "Lognormal", "Normal", "Pert", "Points", "Progress",
    "Quantiles", "Redrawn", "Shape", "Spread", "SpreadSetting", "Sweep", "Tally", "Triangular", "Uniform",
    "correlations_of", "crossed_points", "fitted", "hoped_for", "lay_out", "nearest_correlations", "run_chance",
    "run_sweep", "shares_of_variance", "sobol_indices", "spread_name", "spread_of", "tally", "usual_spreads",
]  # fmt: skip
