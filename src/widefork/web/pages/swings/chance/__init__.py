"""Chance: assumptions drawn at random, and how sure that leaves a figure, the cash and what was promised."""

from widefork.web.pages.swings.chance.asked import ChanceAsked, read_chance
from widefork.web.pages.swings.chance.editor import Editor, build_editor, read_correlation, read_drawn, read_spread
from widefork.web.pages.swings.chance.page import ChancePage, build_chance, drawing, stop_drawing, variance_shares

__all__ = [
    "ChanceAsked", "ChancePage", "Editor", "build_chance", "build_editor", "drawing", "read_chance",
    "read_correlation", "read_drawn", "read_spread", "stop_drawing", "variance_shares",
]  # fmt: skip
