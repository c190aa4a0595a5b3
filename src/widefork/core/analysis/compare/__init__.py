"""Cases side by side."""

from widefork.core.analysis.compare.compare import Comparison, compare, evaluate_cases

__all__ = ["Comparison", "compare", "evaluate_cases"]
