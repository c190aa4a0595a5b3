"""Staffing: hires proposed for what is wanted, and plans of people tried under shocks."""

from widefork.core.analysis.staffing.grid import Tried, plans_and_shocks, try_plans
from widefork.core.analysis.staffing.proposal import Proposal, propose_hires

__all__ = ["Proposal", "Tried", "plans_and_shocks", "propose_hires", "try_plans"]
