"""What moves a figure most."""

from widefork.core.analysis.sensitivity.swings import Swing, Swings, rank_swings

__all__ = ["Swing", "Swings", "rank_swings"]
