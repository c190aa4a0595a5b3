"""What moves a figure: all assumptions ranked, one over a range, two over a grid, and by per cent."""

from widefork.core.analysis.sensitivity.swings import Swing, Swings, Way, first_share_that_moves, rank_swings
from widefork.core.analysis.sensitivity.tables import Elasticity, elasticities, one_way, two_way

__all__ = [
    "Elasticity", "Swing", "Swings", "Way", "elasticities", "first_share_that_moves", "one_way", "rank_swings",
    "two_way",
]  # fmt: skip
