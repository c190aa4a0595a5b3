"""Changes, and the cases and moves made of them."""

from widefork.core.changes.case import Case, Layer, Move, Sketch, Switch, layers, resolve
from widefork.core.changes.change import Change, Operation, apply_change, changed_months, plan_months
from widefork.core.changes.pieces import changes_to, joined, without

__all__ = [
    "Case",
    "Change",
    "Layer",
    "Move",
    "Operation",
    "Sketch",
    "Switch",
    "apply_change",
    "changed_months",
    "changes_to",
    "joined",
    "layers",
    "plan_months",
    "resolve",
    "without",
]
