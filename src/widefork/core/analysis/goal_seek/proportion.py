"""Several levers in proportion: each goes the same share of its way to the end of its range that helps."""

from collections.abc import Sequence

import numpy as np

from widefork.core.analysis.goal_seek.lever_words import Spanned
from widefork.core.analysis.goal_seek.wanted import Wanted, wanted_amounts
from widefork.core.analysis.lever import Together
from widefork.core.changes import Change
from widefork.core.graph.plan import Plan


def in_proportion(plan: Plan, changes: Sequence[Change], wanted: Wanted, levers: Sequence[Spanned]) -> Together:
    """Return levers that go together from where they stand, each to the end of its range at which the goal is nearer.

    Raises
    ------
    InvalidValue: one that stands at no one amount, or outside its range.
    """
    for each in levers:
        each.bounded()
    lists = [each.lever.onto(changes, end) for each in levers for end in (each.low, each.high)]
    rooms = np.array([wanted.room(float(value)) for value in wanted_amounts(plan, lists, [wanted])[0]])
    pairs = np.nan_to_num(rooms, nan=-np.inf).reshape(len(levers), 2)
    ways = []
    for each, (low, high) in zip(levers, pairs, strict=True):
        ends = {each.low: low, each.high: high}
        ends.pop(each.now, None)  # no way at all
        ways.append((each.lever, each.now, max(ends, key=lambda end: ends[end])))
    return Together(tuple(ways))
