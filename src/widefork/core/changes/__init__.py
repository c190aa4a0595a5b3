"""Changes, and the cases and moves made of them."""

from widefork.core.changes.benefit import Benefit, benefits_of, spread
from widefork.core.changes.case import Case, Layer, Sketch, Step, all_layers, layers, resolve
from widefork.core.changes.change import BARE, Change, Operation, apply_change, changed_months, meet, plan_months
from widefork.core.changes.course import ByAge, ByHand, ByRule, Course
from widefork.core.changes.family import Family, free_name, step_at
from widefork.core.changes.move import MOST_STRENGTH, Aim, Move, Status, Switch, moved
from widefork.core.changes.pieces import changes_to, joined, without

__all__ = [
    "BARE",
    "MOST_STRENGTH",
    "Aim",
    "Benefit",
    "ByAge",
    "ByHand",
    "ByRule",
    "Case",
    "Change",
    "Course",
    "Family",
    "Layer",
    "Move",
    "Operation",
    "Sketch",
    "Status",
    "Step",
    "Switch",
    "all_layers",
    "apply_change",
    "benefits_of",
    "changed_months",
    "changes_to",
    "free_name",
    "joined",
    "layers",
    "meet",
    "moved",
    "plan_months",
    "resolve",
    "spread",
    "step_at",
    "without",
]
