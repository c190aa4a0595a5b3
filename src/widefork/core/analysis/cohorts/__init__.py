"""Cohorts: what those who joined in a month count in each month after; and any line by who came in when."""

from widefork.core.analysis.cohorts.cohorts import Cohort, cohorts_of
from widefork.core.analysis.cohorts.unfold import PeriodCohort, Unfolded, adds_up, flows_in, unfold

__all__ = ["Cohort", "PeriodCohort", "Unfolded", "adds_up", "cohorts_of", "flows_in", "unfold"]
