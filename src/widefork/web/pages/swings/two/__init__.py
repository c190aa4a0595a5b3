"""Two at once: a figure over a square of two assumptions, where a goal is met, and the same in every case."""

from widefork.web.pages.swings.two.asked import TwoAsked, read_two
from widefork.web.pages.swings.two.square import TwoAtOnce, build_small, build_two, found_square, square_csv

__all__ = ["TwoAsked", "TwoAtOnce", "build_small", "build_two", "found_square", "read_two", "square_csv"]
