"""What it takes to reach a goal."""

from widefork.core.analysis.goal_seek.figure_words import figure_phrase, read_figure
from widefork.core.analysis.goal_seek.instead import Instead, reach_instead
from widefork.core.analysis.goal_seek.lever_words import Spanned, counts_things, read_lever
from widefork.core.analysis.goal_seek.lifts import lifts
from widefork.core.analysis.goal_seek.proportion import in_proportion
from widefork.core.analysis.goal_seek.ready import Ready, ReadyKind, ready_questions
from widefork.core.analysis.goal_seek.seek import Goal, Outcome, Solution, seek_goal
from widefork.core.analysis.goal_seek.smallest import Bounded, Smallest, smallest_change
from widefork.core.analysis.goal_seek.wanted import Wanted, wanted_amounts
from widefork.core.goals import Sense

__all__ = [
    "Bounded",
    "Goal",
    "Instead",
    "Outcome",
    "Ready",
    "ReadyKind",
    "Sense",
    "Smallest",
    "Solution",
    "Spanned",
    "Wanted",
    "counts_things",
    "figure_phrase",
    "in_proportion",
    "lifts",
    "reach_instead",
    "read_figure",
    "read_lever",
    "ready_questions",
    "seek_goal",
    "smallest_change",
    "wanted_amounts",
]
