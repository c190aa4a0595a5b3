"""Goal-seeking: the amount of one assumption that makes a figure reach a target.

The whole range is scanned in one batch, so that every crossing is found and not just the one nearest a guess; each
bracket is then closed with Brent's method (scipy.optimize.brentq).
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import answer
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.calculate import evaluate
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]
SCAN_POINTS = 81


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
class Lever:
    """The assumption that may change, and how: SET to an amount, or SCALE by a factor where its months differ."""

    line: str
    operation: Operation = Operation.SET
    members: tuple[tuple[str, str], ...] = ()

    def change(self, amount: float) -> Change:
        """Return the change for one amount."""
        return Change(self.line, self.operation, amount, self.members)


@dataclass(frozen=True)
class Goal:
    """Make a figure at least / at most / exactly ``target`` by a lever between ``low`` and ``high``."""

    figure: Figure
    sense: Sense
    target: float
    lever: Lever
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


def usual_lever(
    plan: Plan, changes: Sequence[Change], line: str, members: tuple[tuple[str, str], ...] = ()
) -> tuple[Lever, float]:
    """Return how an assumption is best moved, and its amount now: set it where its plan months are all alike,
    else scale it.

    Raises
    ------
    UnknownName: no such line. InvalidValue: a line that is not an assumption.
    """
    if not plan.model.line(line).is_assumption:
        raise InvalidValue(f"{plan.model.line(line).label} is calculated; choose an assumption to change.")
    values = evaluate(plan, [changes], [line]).values(line)[..., plan.model.timeline.actual_count :, 0]
    alike = values.size > 0 and bool(np.all(values == values.flat[0]))
    if alike:
        return Lever(line, Operation.SET, members), float(values.flat[0])
    return Lever(line, Operation.SCALE, members), 1.0


def seek_goal(plan: Plan, changes: Sequence[Change], goal: Goal) -> Solution:
    """Return what the lever must be for the figure to reach the target.

    Parameters
    ----------
    plan : the compiled model. changes : the case the question is asked in.
    goal : the question; its figure gives an amount, not a month.

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
        batch = [(*self.changes, self.goal.lever.change(float(amount))) for amount in amounts]
        self.evaluations += len(batch)
        return answer(self.goal.figure, evaluate(self.plan, batch, [self.goal.figure.line])).amounts

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
        _, now = usual_lever(self.plan, self.changes, self.goal.lever.line)
        figure_now = float(
            answer(self.goal.figure, evaluate(self.plan, [self.changes], [self.goal.figure.line])).amounts[0]
        )
        amounts = np.linspace(self.goal.low, self.goal.high, SCAN_POINTS)
        figures = self.figures(amounts)
        known = np.isfinite(figures)
        flat = bool(known.any()) and float(np.ptp(figures[known])) <= 1e-9 * max(
            1.0, float(np.abs(figures[known]).max())
        )
        crossings = self.crossings(amounts, figures) if not flat else ()
        nearest = int(np.argmin(np.where(known, np.abs(figures - self.goal.target), np.inf)))
        exact = self.best(now, amounts, figures, crossings)
        outcome = Outcome.REACHED
        if not known.any():
            outcome = Outcome.NO_VALUE
        elif self.holds(figure_now):
            outcome, exact = Outcome.ALREADY, now
        elif self.goal.lever.line not in self.depends_on or flat:
            outcome = Outcome.NO_DEPENDENCE
        elif np.isnan(exact):
            outcome = Outcome.OUT_OF_REACH
        amount = self.rounded(exact) if outcome is Outcome.REACHED else exact
        closest, closest_figure = float(amounts[nearest]), float(figures[nearest])
        if outcome is Outcome.OUT_OF_REACH:
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

    def crossings(self, amounts: Values, figures: Values) -> tuple[float, ...]:
        """Every amount at which the figure passes the target: exact hits, and brackets closed by Brent's method."""
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

    def best(self, now: float, amounts: Values, figures: Values, crossings: tuple[float, ...]) -> float:
        """The amount nearest to ``now`` that reaches the target; at a jump, the side of it that does."""
        step = float(amounts[1] - amounts[0])
        beside = (
            [c + side * step * 1e-9 for c in crossings for side in (-1, 1)]
            if self.goal.sense is not Sense.EXACTLY
            else []
        )
        candidates = [*crossings, *(c for c in beside if self.goal.low <= c <= self.goal.high)]
        working = [c for c in candidates if self.holds(self.figure(c))]
        if self.goal.sense is not Sense.EXACTLY:
            working += [
                float(a) for a, f in zip(amounts, figures, strict=True) if np.isfinite(f) and self.holds(float(f))
            ]
        return min(working, key=lambda c: abs(c - now)) if working else float("nan")

    def rounded(self, exact: float) -> float:
        """A plain number next to the exact one at which the target still holds (not for “exactly”)."""
        if self.goal.sense is Sense.EXACTLY:
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
        place = int(np.nanargmin(np.abs(figures - self.goal.target)))
        return float(fine[place]), float(figures[place])
