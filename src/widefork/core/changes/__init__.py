"""Changes and the cases made of them."""

from widefork.core.changes.case import Case, resolve
from widefork.core.changes.change import Change, Operation, adjusted, apply_change, plan_months

__all__ = ["Case", "Change", "Operation", "adjusted", "apply_change", "plan_months", "resolve"]
