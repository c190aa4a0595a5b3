"""Alternatives tried in all combinations: two or three sets of them, one batch."""

from widefork.core.analysis.grid.contributions import Share, carriers, contributions
from widefork.core.analysis.grid.grid import MOST_COMBINATIONS, Best, Grid, Run, best_in_rows, runs_of, try_all
from widefork.core.analysis.grid.sets import Alternative, Alternatives, read_set

__all__ = [
    "MOST_COMBINATIONS",
    "Alternative",
    "Alternatives",
    "Best",
    "Grid",
    "Run",
    "Share",
    "best_in_rows",
    "carriers",
    "contributions",
    "read_set",
    "runs_of",
    "try_all",
]
