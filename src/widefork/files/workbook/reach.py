"""How far a plan's formulas look beside its months: what stands in columns before the first and after the last one."""

from dataclasses import dataclass
from math import ceil

import numpy as np

from widefork.core.changes import Operation
from widefork.core.graph.calculate import Results
from widefork.core.graph.model import Model
from widefork.core.language import syntax
from widefork.core.language.functions import FUNCTIONS, Kind

DAYS_SPARE = 3
"""Months a flow is counted back for beyond what any case needs, so that days can be raised in the workbook."""
_BY_MONTHS = ("before", "trailing", "trailing_mean", "straight_line")
_BY_PROFILE = ("ramped", "surviving", "fading_in")


@dataclass(frozen=True)
class Reach:
    """Months before the first, months after the last, and months any flow is counted back for what is open of it.

    ``looked_back_at`` : names of lines and pieces whose months before the first are read.
    """

    before: int
    after: int
    counted_back: int
    looked_back_at: frozenset[str]


def reach_of(results: Results) -> Reach:
    """Return how far the formulas of an evaluated plan look; all its cases are among the results."""
    model = results.plan.model
    before, after, days = 1, 0, 0.0
    looked_at: set[str] = set()
    for tree in results.plan.computed.values():
        for node in syntax.walk(tree):
            if not isinstance(node, syntax.Call) or not node.arguments:
                continue
            before = max(before, _looks_back(node, model))
            if FUNCTIONS[node.function].kind is Kind.TIME:
                looked_at.add(getattr(node.arguments[0], "name", ""))
            if node.function == "after":
                after = max(after, _months(node))
            elif node.function == "outstanding":
                days = max(days, _longest_days(node.arguments[1], results))
    counted_back = ceil(days / 30) + DAYS_SPARE if days else 1
    changes = (*model.all_changes, *(change for case in model.cases for change in model.changes_of(case.name)))
    delays = [int(change.amount) for change in changes if change.operation is Operation.DELAY]
    known = [len(line.history) for line in model.lines]
    early = [len(months) for by_key in model.early_values.values() for months in by_key.values()]
    return Reach(max(before, counted_back, *delays, *known, *early, 0), after, counted_back, frozenset(looked_at))


def _months(node: syntax.Call) -> int:
    second = node.arguments[1] if len(node.arguments) > 1 else syntax.Number(1.0)
    return int(second.value) if isinstance(second, syntax.Number) else 0


def _looks_back(node: syntax.Call, model: Model) -> int:
    if node.function in _BY_MONTHS:
        return _months(node)
    if node.function in _BY_PROFILE:
        name = getattr(node.arguments[1], "name", "")
        return next(len(profile.values) for profile in model.profiles if profile.name == name)
    return 0


def _longest_days(node: syntax.Node, results: Results) -> float:
    values = results.values(node.name) if isinstance(node, syntax.Name) else np.array([360.0])
    return float(np.nanmax(values, initial=0.0))
