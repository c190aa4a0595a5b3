"""What the page opens with: questions ready to ask, goals kept, questions asked before."""

from widefork.web.pages.work_back.opening.goals import BeforeRow, GoalRow, build_before, build_goals
from widefork.web.pages.work_back.opening.ready import ReadyRow, ReadyTable, answer_row, build_table

__all__ = [
    "BeforeRow", "GoalRow", "ReadyRow", "ReadyTable", "answer_row", "build_before", "build_goals", "build_table",
]  # fmt: skip
