"""Alternatives in all combinations as a table: measures to choose from, shaded cells, and what one reads from them."""

from widefork.web.shared.alternatives.measures import Measure, measure_of, measures_of
from widefork.web.shared.alternatives.table import AlternativesTable, build_alternatives

__all__ = ["AlternativesTable", "Measure", "build_alternatives", "measure_of", "measures_of"]
