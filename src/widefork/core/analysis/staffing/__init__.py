"""Staffing: hires proposed for what is wanted, and which moves are plans of people and which are shocks."""

from widefork.core.analysis.staffing.preset import plans_and_shocks
from widefork.core.analysis.staffing.proposal import Proposal, propose_hires

__all__ = ["Proposal", "plans_and_shocks", "propose_hires"]
