"""One by one: all assumptions ranked, the curve of the one chosen, and the ranges they are moved within."""

from widefork.web.pages.swings.one.page import OneByOne, build_one
from widefork.web.pages.swings.one.ranges import read_ranges, section_ranges

__all__ = ["OneByOne", "build_one", "read_ranges", "section_ranges"]
