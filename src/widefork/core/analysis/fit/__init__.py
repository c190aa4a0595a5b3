"""Fit: what a seat asks for against what people there can do, with what is missing and what closing it takes."""

from widefork.core.analysis.fit.fit import Costs, Fit, Gap, rank_people, read_asks

__all__ = ["Costs", "Fit", "Gap", "rank_people", "read_asks"]
