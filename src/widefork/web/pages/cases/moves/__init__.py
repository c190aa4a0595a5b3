"""Moves by case: where each is on and what it does to a figure; and one of them opened, with all it changes."""

from widefork.web.pages.cases.moves.table import Moves, build_moves

__all__ = ["Moves", "build_moves"]
