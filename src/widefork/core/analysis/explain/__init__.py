"""How a figure came about, and why it differs from another."""

from widefork.core.analysis.explain.difference import Difference, Point, explain_difference
from widefork.core.analysis.explain.explain import explain, explain_by_formula, origin_of_error
from widefork.core.analysis.explain.found import CHANGED_DIRECTLY, Contribution, Explanation, Kind, Part

__all__ = [
    "CHANGED_DIRECTLY",
    "Contribution",
    "Difference",
    "Explanation",
    "Kind",
    "Part",
    "Point",
    "explain",
    "explain_by_formula",
    "explain_difference",
    "origin_of_error",
]
