"""Alternatives tried in all combinations: two or three sets of them, one batch."""

from widefork.core.analysis.grid.contributions import Share, carriers, contributions
from widefork.core.analysis.grid.grid import MOST_COMBINATIONS, Best, Grid, Run, best_in_rows, runs_of, try_all
from widefork.core.analysis.grid.sets import (
    AS_IT_IS,
    SHAPES_OF_SETS,
    Alternative,
    Alternatives,
    line_phrase,
    named_line,
    named_one,
    read_set,
    read_step,
    split_phrase,
    standing_switch,
)

__all__ = [
    "AS_IT_IS", "MOST_COMBINATIONS", "SHAPES_OF_SETS", "Alternative", "Alternatives", "Best", "Grid", "Run", "Share",
    "best_in_rows", "carriers", "contributions", "line_phrase", "named_line", "named_one", "read_set", "read_step",
    "runs_of", "split_phrase", "standing_switch", "try_all",
]  # fmt: skip
