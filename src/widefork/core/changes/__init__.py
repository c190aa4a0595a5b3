"""Changes, and the cases and moves made of them."""

from widefork.core.changes.case import Case, Move, Switch, resolve
from widefork.core.changes.change import Change, Operation, apply_change, changed_months, plan_months

__all__ = ["Case", "Change", "Move", "Operation", "Switch", "apply_change", "changed_months", "plan_months", "resolve"]
