"""What a change did nothing to: an override of nothing must be said."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np

from widefork.core.changes import Change, Operation, plan_months
from widefork.core.engine import evaluate
from widefork.core.graph.plan import Plan
from widefork.core.lines import MemberKey


@dataclass(frozen=True)
class Idle:
    """Where a change moved no month.

    Parameters
    ----------
    place : the change's place in its list.
    members : those it moved nothing of, one key per combination; () alone where the line has none.
    is_whole : it moved nothing at all.
    sentence : why, and what would work.
    """

    place: int
    change: Change
    members: tuple[MemberKey, ...]
    is_whole: bool
    sentence: str


def idle_changes(plan: Plan, changes: Sequence[Change]) -> tuple[Idle, ...]:
    """Return the changes of a list that did nothing to some or all of what they name, each seen where it applies.

    Raises
    ------
    UnknownName, ChangeRefused: a change that cannot be applied.
    """
    if not changes:
        return ()
    prefixes = [tuple(changes[:count]) for count in range(len(changes) + 1)]
    results = evaluate(plan, prefixes, list(dict.fromkeys(change.line for change in changes)))
    found = []
    for place, change in enumerate(changes):
        values = results.values(change.line)
        before, after = values[..., place], values[..., place + 1]
        keys = _named(plan, change)
        dimensions = plan.model.dimensions_of(plan.model.line(change.line))
        unmoved = []
        for key in keys:
            at = tuple(d.index(m) for d, m in zip(dimensions, key, strict=True))
            if np.array_equal(before[at], after[at], equal_nan=True):
                unmoved.append(key)
        if unmoved:
            is_whole = len(unmoved) == len(keys)
            found.append(Idle(place, change, tuple(unmoved), is_whole, _sentence(plan, change, unmoved, is_whole)))
    return tuple(found)


def _named(plan: Plan, change: Change) -> list[MemberKey]:
    """Every combination of members a change is about."""
    line = plan.model.line(change.line)
    choices = []
    for dimension in plan.model.dimensions_of(line):
        named = [member for name, member in change.members if name == dimension.name]
        choices.append(named or list(dimension))
    return [key for key in product(*choices) if key not in line.absent]


def _sentence(plan: Plan, change: Change, members: list[MemberKey], is_whole: bool) -> str:
    label = plan.model.line(change.line).label
    named = "" if is_whole else " at " + ", ".join(" / ".join(key) for key in members)
    span = plan_months(change, plan.model.timeline)
    if span.start >= span.stop:
        return f"{label}{named}: no plan month lies in the range; choose a month from {plan.model.timeline.first_plan}."
    if change.strength == 0:
        return f"{label}{named}: a strength of 0 changes nothing."
    if change.operation is Operation.SCALE and change.amount != 1:
        return f"{label}{named} is 0 in these months, so a factor changes nothing; set it or add to it instead."
    return f"{label}{named} already has these values in these months; the change moves nothing."
