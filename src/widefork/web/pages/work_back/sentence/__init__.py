"""The sentence a person fills in: what is wanted, by changing what, while what is kept."""

from widefork.web.pages.work_back.sentence.asked import SENTENCE, Asked, Condition, LeverAsked, WayAsked, read_asked
from widefork.web.pages.work_back.sentence.offered import offered_figures

__all__ = ["SENTENCE", "Asked", "Condition", "LeverAsked", "WayAsked", "offered_figures", "read_asked"]
