"""Figures by case, with differences, and weighted over the futures."""

from widefork.core.analysis.compare.compare import Comparison, compare, evaluate_cases
from widefork.core.analysis.compare.sides import Side
from widefork.core.analysis.compare.weighted import Weighted, weighted

__all__ = ["Comparison", "Side", "Weighted", "compare", "evaluate_cases", "weighted"]
