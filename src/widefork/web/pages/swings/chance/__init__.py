"""Chance: assumptions drawn at random, and how sure that leaves a figure, the cash and what was promised."""

from widefork.web.pages.swings.chance.asked import ChanceAsked, read_chance
from widefork.web.pages.swings.chance.page import ChancePage, build_chance, drawing, stop_drawing, variance_shares

__all__ = ["ChanceAsked", "ChancePage", "build_chance", "drawing", "read_chance", "stop_drawing", "variance_shares"]
