"""What the page opens with: questions ready to ask, goals kept, questions asked before."""

from widefork.web.pages.work_back.opening.before import BeforeRow, build_before
from widefork.web.pages.work_back.opening.ready import ReadyRow, ReadyTable, answer_row, build_table, waiting_row

__all__ = [
    "BeforeRow", "ReadyRow", "ReadyTable", "answer_row", "build_before", "build_table", "waiting_row",
]  # fmt: skip
