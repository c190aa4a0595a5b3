"""Cohorts: what those who joined in a month count in each month after."""

from widefork.core.analysis.cohorts.cohorts import Cohort, cohorts_of

__all__ = ["Cohort", "cohorts_of"]
