"""How a figure came about."""

from widefork.core.analysis.explain.explain import Explanation, Kind, Part, explain, origin_of_error

__all__ = ["Explanation", "Kind", "Part", "explain", "origin_of_error"]
