"""Which assumptions could reach a goal by themselves, the one that needs least of its range first."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from widefork.core.analysis.goal_seek.seek import Goal, Outcome, Solution, seek_goal
from widefork.core.analysis.goal_seek.wanted import wanted_amounts
from widefork.core.analysis.lever import Lever
from widefork.core.analysis.sensitivity import Ends, Moved, Way, stretch
from widefork.core.changes import Change
from widefork.core.engine import evaluate
from widefork.core.graph.plan import Plan

WIDE = 0.5
"""By which share an assumption without a plausible range is tried both ways."""
MOST = 8


@dataclass(frozen=True)
class Instead:
    """One assumption that reaches the goal alone.

    Parameters
    ----------
    share : of the way from where it stands to the end of its range. solution : its own answer.
    has_range : whether the range is its own plausible one; else half of what it is, both ways.
    """

    line: str
    share: float
    solution: Solution
    has_range: bool


def reach_instead(
    plan: Plan,
    changes: Sequence[Change],
    goal: Goal,
    most: int = MOST,
    told: Callable[[int, int], bool] = lambda done, of: True,
) -> tuple[Instead, ...]:
    """Return the assumptions with which the goal, and what is kept, is reached alone within their ranges.

    Those of the goal's own lever are left out. Both ends of all ranges are tried in one batch; the assumptions whose
    end reaches the goal are then solved, the ones that seem to need least first, at most so many.

    Parameters
    ----------
    told : hears how many are solved, and of how many; False from it leaves the rest.
    """
    model, wanted = plan.model, (goal.wanted, *goal.kept)
    names = [name for name in plan.assumptions_behind(goal.figure.line) if name not in goal.lever.lines]
    results = evaluate(plan, [tuple(changes)], names)
    tried: list[tuple[str, Ends, float]] = []
    for name in names:
        way = Way.RANGE if model.line(name).plausible is not None else Way.SHARE
        found = stretch(model, results, Moved((name,)), way, WIDE)
        if found is not None and found.is_single:
            ends = found.ways[0]
            tried += [(name, ends, end) for end in (ends.low, ends.high)]
    lists = [(*changes, ends.change(end)) for _, ends, end in tried]
    figures = wanted_amounts(plan, [tuple(changes), *lists], wanted)
    standing = float(figures[0, 0])
    close: list[tuple[float, str, Ends, float]] = []
    for place, (name, ends, end) in enumerate(tried, 1):
        reached = all(each.holds(float(value)) for each, value in zip(wanted, figures[:, place], strict=True))
        travel = float(figures[0, place]) - standing
        if reached:
            share = (goal.target - standing) / travel if np.isfinite(travel) and travel else 1.0
            close.append((min(abs(share), 1.0), name, ends, end))
    found_ones: list[Instead] = []
    nearest = sorted(close, key=lambda each: each[0])[:most]
    for place, (_, name, ends, end) in enumerate(nearest):
        if not told(place, len(nearest)):
            break
        now = ends.now if np.isfinite(ends.now) else 0.5 * (ends.low + ends.high)
        low, high = sorted((now, end))
        lever = Lever(name, ends.operation)
        if low == high:
            continue
        solution = seek_goal(plan, changes, replace(goal, lever=lever, low=low, high=high))
        if solution.outcome is Outcome.REACHED:
            share = abs((solution.amount - now) / (end - now))
            found_ones.append(Instead(name, share, solution, model.line(name).plausible is not None))
    return tuple(sorted(found_ones, key=lambda each: each.share))
