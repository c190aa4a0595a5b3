"""What it takes to reach a goal."""

from widefork.core.analysis.goal_seek.seek import (
    Goal,
    Lever,
    Outcome,
    Sense,
    Solution,
    seek_goal,
    usual_lever,
)

__all__ = ["Goal", "Lever", "Outcome", "Sense", "Solution", "seek_goal", "usual_lever"]
