"""Outgoings: every one by its rhythm, and what usually exists in a plan and is absent in this one."""

from widefork.core.analysis.outgoings.outgoings import Outgoing, Rhythm, outgoings
from widefork.core.analysis.outgoings.usual import USUAL, Missing, missing

__all__ = ["USUAL", "Missing", "Outgoing", "Rhythm", "missing", "outgoings"]
