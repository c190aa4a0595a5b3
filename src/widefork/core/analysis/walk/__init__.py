"""What each step of a case does to a figure, one after another."""

from widefork.core.analysis.walk.walk import Stage, Walk, walk_cases

__all__ = ["Stage", "Walk", "walk_cases"]
