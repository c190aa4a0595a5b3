"""Changes and the cases made of them."""

from widefork.core.changes.case import Case, resolve
from widefork.core.changes.change import Change, Operation, apply_change, did_nothing, plan_months

__all__ = ["Case", "Change", "Operation", "apply_change", "did_nothing", "plan_months", "resolve"]
