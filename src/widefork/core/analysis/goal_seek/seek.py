"""Goal-seeking: the amount of one assumption that makes a figure reach a target.

The whole range is scanned in one batch, so that every crossing is found and not just the one nearest a guess; each
bracket is then closed with Brent's method (scipy.optimize.brentq). Where only whole amounts count every one of them is
looked at, and where the figure is a month or a count of months, which jump, brackets are closed by halving.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import figure_amounts
from widefork.core.analysis.lever import Lever, Pulls, Together
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure, Reduction
from widefork.core.graph.calculate import ChangeList
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]
SCAN_POINTS = 81
MOST_WHOLE = 20_000
HALVINGS = 50


class Sense(StrEnum):
    """What reaching the target means."""

    AT_LEAST = "at least"
    AT_MOST = "at most"
    EXACTLY = "exactly"


class Outcome(StrEnum):
    """How a search ended."""

    REACHED = "reached"
    ALREADY = "already there"
    OUT_OF_REACH = "out of reach"
    NO_DEPENDENCE = "does not depend"
    NO_VALUE = "no value"


@dataclass(frozen=True)
class Goal:
    """Make a figure at least / at most / exactly ``target`` by a lever between ``low`` and ``high``.

    The target of a figure that gives a month is the month's running number; a month that never comes is later than
    any. Levers that move together are pulled from 0 to 1.
    """

    figure: Figure
    sense: Sense
    target: float
    lever: Pulls
    low: float
    high: float


@dataclass(frozen=True)
class Solution:
    """What a search found.

    Parameters
    ----------
    now : the lever's amount as it stands. figure_now : the figure as it stands.
    exact : the amount nearest to now that reaches the target; NaN when none does.
    amount : the same, rounded so that the target still holds. figure_then : the figure at ``amount``.
    crossings : all amounts in the range at which the figure passes the target, ascending.
    amounts, figures : the scanned curve.
    closest, closest_figure : where the figure comes nearest to the target.
    depends_on : assumptions the figure is computed from.
    evaluations : how many times the model was evaluated.
    """

    goal: Goal
    outcome: Outcome
    now: float
    figure_now: float
    exact: float
    amount: float
    figure_then: float
    crossings: tuple[float, ...]
    amounts: Values
    figures: Values
    closest: float
    closest_figure: float
    depends_on: tuple[str, ...]
    evaluations: int


def seek_goal(plan: Plan, changes: Sequence[Change], goal: Goal) -> Solution:
    """Return what the lever must be for the figure to reach the target.

    Parameters
    ----------
    plan : the compiled model. changes : the case the question is asked in.
    goal : the question.

    Raises
    ------
    InvalidValue: a range that is empty or not finite.
    UnknownName: a figure or lever on an unknown line.
    """
    if not (np.isfinite(goal.low) and np.isfinite(goal.high) and goal.low < goal.high):
        raise InvalidValue("The range goes from a lower to a higher amount; write the lower one first.")
    if not np.isfinite(goal.target):
        raise InvalidValue("The target is a number.")
    return _Search(plan, changes, goal).run()


class _Search:
    def __init__(self, plan: Plan, changes: Sequence[Change], goal: Goal) -> None:
        self.plan, self.changes, self.goal = plan, tuple(changes), goal
        self.depends_on = plan.assumptions_behind(goal.figure.line)
        self.evaluations = 0

    def figures(self, amounts: Sequence[float] | Values) -> Values:
        batch = [(*self.changes, *self.goal.lever.changes(float(amount))) for amount in amounts]
        self.evaluations += len(batch)
        return self.amounts(batch)

    def amounts(self, batch: Sequence[ChangeList]) -> Values:
        """The figure; a month that never comes is endlessly late."""
        found = figure_amounts(self.plan, batch, self.goal.figure)
        if self.goal.figure.reduction.gives_month and np.isnan(found).any():
            asked = replace(self.goal.figure, reduction=Reduction.MONTH_COUNT)  # NaN only where months are broken
            never = np.isnan(found) & np.isfinite(figure_amounts(self.plan, batch, asked))
            found = np.where(never, np.inf, found)
        return found

    def figure(self, amount: float) -> float:
        return float(self.figures([amount])[0])

    def holds(self, value: float) -> bool:
        target = self.goal.target
        slack = 1e-9 * max(1.0, abs(target))
        match self.goal.sense:
            case Sense.AT_LEAST:
                return value >= target - slack
            case Sense.AT_MOST:
                return value <= target + slack
            case Sense.EXACTLY:
                return abs(value - target) <= max(slack, 1e-6)
        return False

    def run(self) -> Solution:
        now = self.now()
        figure_now = float(self.amounts([self.changes])[0])
        amounts = self.scan()
        figures = self.figures(amounts)
        known = ~np.isnan(figures)
        flat = len(amounts) > 1 and bool(known.any()) and _is_flat(figures[known])
        crossings = self.crossings(amounts, figures) if not flat else ()
        nearest = int(np.argmin(np.nan_to_num(np.abs(figures - self.goal.target), nan=np.inf)))
        exact = self.best(now, amounts, figures, crossings)
        outcome = Outcome.REACHED
        if not known.any():
            outcome = Outcome.NO_VALUE
        elif self.holds(figure_now):
            outcome, exact = Outcome.ALREADY, now
        elif flat or not set(self.goal.lever.lines) & set(self.depends_on):
            outcome = Outcome.NO_DEPENDENCE
        elif np.isnan(exact):
            outcome = Outcome.OUT_OF_REACH
        amount = self.rounded(exact) if outcome is Outcome.REACHED and not self.goal.lever.is_whole else exact
        closest, closest_figure = float(amounts[nearest]), float(figures[nearest])
        if outcome is Outcome.OUT_OF_REACH and not self.goal.lever.is_whole:
            closest, closest_figure = self.refine(amounts, nearest)
        return Solution(
            self.goal,
            outcome,
            now,
            figure_now,
            exact,
            amount,
            self.figure(amount) if np.isfinite(amount) else np.nan,
            crossings,
            amounts,
            figures,
            closest,
            closest_figure,
            self.depends_on,
            self.evaluations,
        )

    def now(self) -> float:
        """The lever's amount as it stands."""
        lever = self.goal.lever
        if not isinstance(lever, Lever):
            return 0.0
        if lever.operation is not Operation.SET:
            return 1.0 if lever.operation is Operation.SCALE else 0.0
        standing = evaluate(self.plan, [self.changes], [lever.line]).values(lever.line)[..., 0]
        named = dict(reversed(lever.members))
        dimensions = self.plan.model.dimensions_of(self.plan.model.line(lever.line))
        places = tuple(d.index(named[d.name]) if d.name in named else 0 for d in dimensions)
        values = standing[places][self.plan.model.timeline.actual_count :]
        return float(values[0]) if values.size else 0.0

    def scan(self) -> Values:
        """The amounts looked at first: all whole ones where only those count, else evenly over the range."""
        low, high = self.goal.low, self.goal.high
        if not self.goal.lever.is_whole:
            return np.linspace(low, high, SCAN_POINTS)
        first, last = np.ceil(low), np.floor(high)
        if last < first:
            raise InvalidValue(f"There is no whole number between {low:g} and {high:g}; widen the range.")
        if last - first >= MOST_WHOLE:
            raise InvalidValue(f"A range of whole numbers holds at most {MOST_WHOLE:,} of them; narrow it.")
        return np.arange(first, last + 1)

    def crossings(self, amounts: Values, figures: Values) -> tuple[float, ...]:
        """Every amount at which the figure passes the target: exact hits, and brackets closed by Brent's method."""
        reached = np.array([self.holds(float(figure)) for figure in figures])
        turns = np.flatnonzero(reached[:-1] != reached[1:])
        if self.goal.lever.is_whole:
            return tuple(float(amounts[turn + (1 if reached[turn + 1] else 0)]) for turn in turns)
        if self.goal.figure.reduction.asks_condition:
            return tuple(self.halved(float(amounts[t]), float(amounts[t + 1]), bool(reached[t])) for t in turns)
        from scipy.optimize import brentq  # imported where used: it is slow to load

        gaps = figures - self.goal.target
        found = [float(amount) for amount, gap in zip(amounts, gaps, strict=True) if gap == 0]
        gap_of: Callable[[float], float] = lambda amount: self.figure(amount) - self.goal.target  # noqa: E731
        for left in np.flatnonzero(gaps[:-1] * gaps[1:] < 0):
            span = float(amounts[left + 1] - amounts[left])
            found.append(
                float(brentq(gap_of, amounts[left], amounts[left + 1], xtol=span * 1e-12, rtol=1e-14, maxiter=200))
            )
        return tuple(sorted(found))

    def halved(self, low: float, high: float, low_holds: bool) -> float:
        """The last amount on the side that holds, between two of which one does."""
        for _ in range(HALVINGS):
            middle = (low + high) / 2
            if self.holds(self.figure(middle)) == low_holds:
                low = middle
            else:
                high = middle
        return low if low_holds else high

    def best(self, now: float, amounts: Values, figures: Values, crossings: tuple[float, ...]) -> float:
        """The amount nearest to ``now`` that reaches the target; at a jump, the side of it that does."""
        step = float(np.ptp(amounts)) / max(len(amounts) - 1, 1)
        beside = (
            [c + side * step * 1e-9 for c in crossings for side in (-1, 1)]
            if self.goal.sense is not Sense.EXACTLY and not self.goal.lever.is_whole
            else []
        )
        candidates = [*crossings, *(c for c in beside if self.goal.low <= c <= self.goal.high)]
        working = [c for c in candidates if self.holds(self.figure(c))]
        if self.goal.sense is not Sense.EXACTLY or self.goal.lever.is_whole:
            working += [
                float(a) for a, f in zip(amounts, figures, strict=True) if np.isfinite(f) and self.holds(float(f))
            ]
        return min(working, key=lambda c: abs(c - now)) if working else float("nan")

    def rounded(self, exact: float) -> float:
        """A plain number next to the exact one at which the target still holds (not for “exactly”)."""
        if self.goal.sense is Sense.EXACTLY or isinstance(self.goal.lever, Together):
            return exact
        step = 10.0 ** (np.floor(np.log10(self.goal.high - self.goal.low)) - 3)
        for candidate in (np.ceil(exact / step) * step, np.floor(exact / step) * step):
            near = float(np.round(candidate, 12))
            if self.goal.low <= near <= self.goal.high and self.holds(self.figure(near)):
                return near
        return exact

    def refine(self, amounts: Values, nearest: int) -> tuple[float, float]:
        """Look closer around the scanned point that comes nearest."""
        fine = np.linspace(amounts[max(nearest - 1, 0)], amounts[min(nearest + 1, len(amounts) - 1)], SCAN_POINTS)
        figures = self.figures(fine)
        place = int(np.argmin(np.nan_to_num(np.abs(figures - self.goal.target), nan=np.inf)))
        return float(fine[place]), float(figures[place])


def _is_flat(figures: Values) -> bool:
    known = figures[np.isfinite(figures)]
    if len(known) < len(figures):
        return len(known) == 0
    return float(np.ptp(known)) <= 1e-9 * max(1.0, float(np.abs(known).max()))
