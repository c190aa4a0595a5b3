"""What it takes to reach a goal."""

from widefork.core.analysis.goal_seek.seek import Goal, Outcome, Sense, Solution, seek_goal
from widefork.core.analysis.goal_seek.smallest import Bounded, Smallest, Wanted, smallest_change

__all__ = [
    "Bounded",
    "Goal",
    "Outcome",
    "Sense",
    "Smallest",
    "Solution",
    "Wanted",
    "seek_goal",
    "smallest_change",
]
