"""Answers: of one assumption, of several, in every case, and what keeping one does."""

from widefork.web.pages.work_back.answer.by_case import build_cases, build_instead
from widefork.web.pages.work_back.answer.found import is_smallest, solved
from widefork.web.pages.work_back.answer.one import build_one
from widefork.web.pages.work_back.answer.several import build_alone, build_several
from widefork.web.pages.work_back.answer.words import amount_words

__all__ = [
    "amount_words", "build_alone", "build_cases", "build_instead", "build_one",
    "build_several", "is_smallest", "solved",
]  # fmt: skip
