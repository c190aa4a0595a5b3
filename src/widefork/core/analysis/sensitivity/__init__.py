"""What moves a figure: all assumptions ranked, one over a range, two over a square, and by per cent."""

from widefork.core.analysis.sensitivity.axis import Axis, Of, read_axis
from widefork.core.analysis.sensitivity.curve import Bend, Curve, trace_curve
from widefork.core.analysis.sensitivity.moved import Ends, Moved, Stretch, Way, all_moved, stretch
from widefork.core.analysis.sensitivity.square import Square, try_square
from widefork.core.analysis.sensitivity.swings import (
    Swing,
    Swings,
    Trials,
    first_share_that_moves,
    prepare_swings,
    rank_swings,
)
from widefork.core.analysis.sensitivity.tables import Elasticity, elasticities, one_way, two_way

__all__ = [
    "Axis", "Bend", "Curve", "Elasticity", "Ends", "Moved", "Of", "Square", "Stretch", "Swing", "Swings", "Trials",
    "Way", "all_moved", "elasticities", "first_share_that_moves", "one_way", "prepare_swings", "rank_swings",
    "read_axis", "stretch", "trace_curve", "try_square", "two_way",
]  # fmt: skip
