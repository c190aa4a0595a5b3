"""What it takes to reach a goal."""

from widefork.core.analysis.goal_seek.seek import Goal, Outcome, Sense, Solution, seek_goal

__all__ = ["Goal", "Outcome", "Sense", "Solution", "seek_goal"]
