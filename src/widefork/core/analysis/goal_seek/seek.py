"""Goal-seeking: the amount of one lever that makes a figure reach a target, others kept.

The whole range is scanned in one batch, so that every crossing is found and not just the one nearest a guess; each
bracket is then closed with Brent's method (scipy.optimize.brentq). Where only whole amounts count every one of them is
looked at, and where the figure is a month or a count of months, which jump, brackets are closed by halving.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.goal_seek.wanted import Wanted, wanted_amounts
from widefork.core.analysis.lever import Lever, Pulls, SwitchLever, Together
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.goals import Sense
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]
SCAN_POINTS = 81
MOST_WHOLE = 20_000
HALVINGS = 50
NEARLY = 1e-9


class Outcome(StrEnum):
    """How a search ended."""

    REACHED = "reached"
    ALREADY = "already there"
    HELD_BACK = "held back"
    OUT_OF_REACH = "out of reach"
    NO_DEPENDENCE = "does not depend"
    NO_VALUE = "no value"


@dataclass(frozen=True)
class Goal:
    """Make a figure at least / at most / exactly ``target`` by a lever between ``low`` and ``high``.

    The target of a figure that gives a month is the month's running number; a month that never comes is later than
    any. Levers that move together are pulled from 0 to 1.

    Parameters
    ----------
    kept : what must hold as well.
    """

    figure: Figure
    sense: Sense
    target: float
    lever: Pulls
    low: float
    high: float
    kept: tuple[Wanted, ...] = ()

    @property
    def wanted(self) -> Wanted:
        """What is wanted of the figure."""
        return Wanted(self.figure, self.sense, self.target)


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
    holds : the amounts between which everything holds around the answer, or around now where it holds already; an end
        of the range where it holds to there. NaN where it holds nowhere.
    stops : the amount beyond which more of the lever does not help any further, and the figure there; NaN where it
        helps to the end of the range, or where exactly is asked for.
    kept_now, kept_then : of what is kept, the figures as they stand and at ``amount``; where it is held back, at the
        amount that reaches the target by itself.
    gives_first : where it is held back, which of what is kept ceases to hold first on the way there; else -1.
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
    holds: tuple[float, float]
    stops: tuple[float, float]
    kept_now: tuple[float, ...]
    kept_then: tuple[float, ...]
    gives_first: int
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
    if not np.isfinite([goal.target, *(each.target for each in goal.kept)]).all():
        raise InvalidValue("The target is a number.")
    return _Search(plan, changes, goal).run()


class _Search:
    def __init__(self, plan: Plan, changes: Sequence[Change], goal: Goal) -> None:
        self.plan, self.changes, self.goal = plan, tuple(changes), goal
        self.wanted = (goal.wanted, *goal.kept)
        self.depends_on = plan.assumptions_behind(goal.figure.line)
        self.evaluations = 0
        self.is_stepped = any(each.figure.reduction.asks_condition for each in self.wanted)

    def all_figures(self, amounts: Sequence[float] | Values) -> Values:
        """The figure and what is kept, shape (1 + kept, amounts)."""
        self.evaluations += len(amounts)
        batch = [self.goal.lever.onto(self.changes, float(amount)) for amount in amounts]
        return wanted_amounts(self.plan, batch, self.wanted)

    def figure(self, amount: float) -> float:
        return float(self.all_figures([amount])[0, 0])

    def holds(self, amount: float, is_alone: bool = False) -> bool:
        """Whether everything holds at an amount; the goal by itself, where nothing else is asked."""
        return self.held(self.all_figures([amount])[:, 0], is_alone)

    def held(self, figures: Values, is_alone: bool = False) -> bool:
        wanted = self.wanted[:1] if is_alone else self.wanted
        return all(goal.holds(float(value)) for goal, value in zip(wanted, figures, strict=False))

    def run(self) -> Solution:
        now = self.now()
        standing = wanted_amounts(self.plan, [self.changes], self.wanted)[:, 0]
        amounts = self.scan(now)
        everything = self.all_figures(amounts)
        figures = everything[0]
        known = ~np.isnan(figures)
        flat = len(amounts) > 1 and bool(known.any()) and _is_flat(figures[known])
        crossings = self.crossings(amounts, figures) if not flat else ()
        stretches = self.stretches(amounts, everything, crossings)
        exact = _nearest(stretches, now)
        outcome, gives_first = Outcome.REACHED, -1
        if not known.any():
            outcome = Outcome.NO_VALUE
        elif self.held(standing):
            outcome, exact = Outcome.ALREADY, now
        elif flat or not set(self.goal.lever.lines) & set(self.depends_on):
            outcome = Outcome.NO_DEPENDENCE
        elif np.isnan(exact):
            outcome = Outcome.OUT_OF_REACH
            alone = _nearest(self.stretches(amounts, everything, crossings, is_alone=True), now)
            if self.goal.kept and np.isfinite(alone):
                outcome, exact = Outcome.HELD_BACK, alone
                gives_first = self.first_to_give(now, alone)
        rounds = outcome is Outcome.REACHED and not self.goal.lever.is_whole
        amount = self.rounded(exact) if rounds else exact
        then = self.all_figures([amount])[:, 0] if np.isfinite(amount) else np.full(len(self.wanted), np.nan)
        stops = self.stops(amounts, figures, now, flat)
        closest, closest_figure = self.closest(amounts, figures, outcome)
        if outcome is Outcome.OUT_OF_REACH and np.isfinite(stops).all():
            closest, closest_figure = stops  # as near as it gets is where more stops helping
        around = next(((low, high) for low, high in stretches if low <= exact <= high), (np.nan, np.nan))
        return Solution(
            self.goal, outcome, now, float(standing[0]), exact, amount, float(then[0]), crossings, amounts, figures,
            closest, closest_figure, around, stops, tuple(standing[1:].tolist()),
            tuple(then[1:].tolist()), gives_first, self.depends_on, self.evaluations,
        )  # fmt: skip

    def now(self) -> float:
        """The lever's amount as it stands; of a move that is off, the start it would have."""
        lever = self.goal.lever
        if isinstance(lever, SwitchLever):
            move = lever.model.move_by_name[lever.switch.move]
            if lever.is_start:
                return float((lever.switch.start or move.start).ordinal)
            is_on = any(layer.move == move.name for layer in lever.model.layers_of(lever.case))
            return lever.switch.strength if is_on else 0.0
        if not isinstance(lever, Lever):
            return 0.0
        if lever.operation is not Operation.SET:
            return 1.0 if lever.operation is Operation.SCALE else 0.0
        standing = evaluate(self.plan, [self.changes], [lever.line]).values(lever.line)[..., 0]
        named = dict(reversed(lever.members))
        dimensions = self.plan.model.dimensions_of(self.plan.model.line(lever.line))
        places = tuple(d.index(named[d.name]) if d.name in named else 0 for d in dimensions)
        timeline = self.plan.model.timeline
        since = timeline.actual_count if lever.first is None else max(0, lever.first.ordinal - timeline.start.ordinal)
        values = standing[places][since:]
        return float(values[0]) if values.size else 0.0

    def scan(self, now: float) -> Values:
        """The amounts looked at first: all whole ones where only those count, else evenly over the range, and now."""
        low, high = self.goal.low, self.goal.high
        if not self.goal.lever.is_whole:
            amounts = np.linspace(low, high, SCAN_POINTS)
            return np.unique(np.append(amounts, now)) if low < now < high else amounts
        first, last = np.ceil(low), np.floor(high)
        if last < first:
            raise InvalidValue(f"There is no whole number between {low:g} and {high:g}; widen the range.")
        if last - first >= MOST_WHOLE:
            raise InvalidValue(f"A range of whole numbers holds at most {MOST_WHOLE:,} of them; narrow it.")
        return np.arange(first, last + 1)

    def crossings(self, amounts: Values, figures: Values) -> tuple[float, ...]:
        """Every amount at which the figure passes the target: exact hits, and brackets closed by Brent's method."""
        reached = np.array([self.goal.wanted.holds(float(figure)) for figure in figures])
        turns = np.flatnonzero(reached[:-1] != reached[1:])
        if self.goal.lever.is_whole:
            return tuple(float(amounts[turn + (1 if reached[turn + 1] else 0)]) for turn in turns)
        if self.goal.figure.reduction.asks_condition:
            return tuple(self.halved(float(amounts[t]), float(amounts[t + 1]), bool(reached[t]), True) for t in turns)
        gaps = figures - self.goal.target
        found = [float(amount) for amount, gap in zip(amounts, gaps, strict=True) if gap == 0]
        for left in np.flatnonzero(gaps[:-1] * gaps[1:] < 0):
            found.append(
                _root(lambda a: self.figure(a) - self.goal.target, float(amounts[left]), float(amounts[left + 1]))
            )
        return tuple(sorted(found))

    def halved(self, low: float, high: float, low_holds: bool, is_alone: bool = False) -> float:
        """The last amount on the side that holds, between two of which one does."""
        for _ in range(HALVINGS):
            middle = (low + high) / 2
            if self.holds(middle, is_alone) == low_holds:
                low = middle
            else:
                high = middle
        return low if low_holds else high

    def stretches(
        self, amounts: Values, everything: Values, crossings: tuple[float, ...], is_alone: bool = False
    ) -> tuple[tuple[float, float], ...]:
        """From where to where everything holds, in order; single amounts where exactly is asked for."""
        if self.goal.sense is Sense.EXACTLY and not self.goal.lever.is_whole:
            return tuple((root, root) for root in crossings if self.holds(root, is_alone))
        held = np.array([self.held(column, is_alone) for column in everything.T])
        found: list[tuple[float, float]] = []
        start = 0
        while start < len(held):
            if not held[start]:
                start += 1
                continue
            end = start
            while end + 1 < len(held) and held[end + 1]:
                end += 1
            low = self.edge(amounts, everything, start, start - 1, is_alone) if start else float(amounts[0])
            last = len(held) - 1
            high = self.edge(amounts, everything, end, end + 1, is_alone) if end < last else float(amounts[-1])
            found.append((low, high))
            start = end + 1
        return tuple(found)

    def edge(self, amounts: Values, everything: Values, inside: int, outside: int, is_alone: bool) -> float:
        """The last amount that holds between one that does and its neighbour that does not."""
        good, bad = float(amounts[inside]), float(amounts[outside])
        if self.goal.lever.is_whole:
            return good
        wanted = self.wanted[:1] if is_alone else self.wanted
        rooms = [[goal.room(float(v)) for goal, v in zip(wanted, everything[:, at], strict=False)]
                 for at in (inside, outside)]  # fmt: skip
        if not self.is_stepped and np.isfinite(rooms).all() and min(rooms[0]) > 0 > min(rooms[1]):

            def least(amount: float) -> float:
                return min(
                    goal.room(float(v)) for goal, v in zip(wanted, self.all_figures([amount])[:, 0], strict=False)
                )

            root = _root(least, *sorted((good, bad)))
            if self.holds(root, is_alone):
                return root
        low, high = sorted((good, bad))
        return self.halved(low, high, good < bad, is_alone)

    def first_to_give(self, now: float, amount: float) -> int:
        """Which of what is kept ceases to hold first, on the way from now to an amount."""
        for share in np.linspace(0, 1, SCAN_POINTS):
            there = now + float(share) * (amount - now)
            at = round(there) if self.goal.lever.is_whole else there
            figures = self.all_figures([at])[1:, 0]
            broken = [k for k, (goal, v) in enumerate(zip(self.goal.kept, figures, strict=True)) if not goal.holds(v)]
            if broken:
                return broken[0]
        return -1

    def stops(self, amounts: Values, figures: Values, now: float, is_flat: bool) -> tuple[float, float]:
        """Where more of the lever does not help any further, and the figure there."""
        sign = 1.0 if self.goal.sense is Sense.AT_LEAST else -1.0
        known = np.isfinite(figures)
        if self.goal.sense is Sense.EXACTLY or is_flat or not known.any():
            return np.nan, np.nan
        better = np.where(known, sign * np.nan_to_num(figures), -np.inf)
        tolerance = NEARLY * max(1.0, float(np.abs(figures[known]).max()))
        best = np.flatnonzero(better >= better.max() - tolerance)
        place = int(best[int(np.argmin(np.abs(amounts[best] - now)))])
        last = len(amounts) - 1
        if place in (0, last):
            return np.nan, np.nan
        if self.goal.lever.is_whole or self.is_stepped:
            return float(amounts[place]), float(figures[place])
        low, high = float(amounts[place - 1]), float(amounts[place + 1])
        for _ in range(4):  # each time forty times closer
            fine = np.linspace(low, high, SCAN_POINTS)
            there = self.all_figures(fine)[0]
            gain = np.where(np.isfinite(there), sign * np.nan_to_num(there), -np.inf)
            near = np.flatnonzero(gain >= gain.max() - tolerance)
            at = int(near[int(np.argmin(np.abs(fine[near] - now)))])
            low, high = float(fine[max(at - 1, 0)]), float(fine[min(at + 1, SCAN_POINTS - 1)])
        return float(fine[at]), float(there[at])

    def rounded(self, exact: float) -> float:
        """A plain number next to the exact one at which everything still holds (not for “exactly”)."""
        if self.goal.sense is Sense.EXACTLY or isinstance(self.goal.lever, Together):
            return exact
        step = 10.0 ** (np.floor(np.log10(self.goal.high - self.goal.low)) - 3)
        for candidate in (np.ceil(exact / step) * step, np.floor(exact / step) * step):
            near = float(np.round(candidate, 12))
            if self.goal.low <= near <= self.goal.high and self.holds(near):
                return near
        return exact

    def closest(self, amounts: Values, figures: Values, outcome: Outcome) -> tuple[float, float]:
        """Where the figure comes nearest to the target; looked at closer where it is out of reach."""
        gaps = np.nan_to_num(np.abs(figures - self.goal.target), nan=np.inf)
        nearest = int(np.argmin(gaps))
        if outcome is not Outcome.OUT_OF_REACH or self.goal.lever.is_whole:
            return float(amounts[nearest]), float(figures[nearest])
        fine = np.linspace(amounts[max(nearest - 1, 0)], amounts[min(nearest + 1, len(amounts) - 1)], SCAN_POINTS)
        there = self.all_figures(fine)[0]
        place = int(np.argmin(np.nan_to_num(np.abs(there - self.goal.target), nan=np.inf)))
        return float(fine[place]), float(there[place])


def _root(gap_of: Callable[[float], float], low: float, high: float) -> float:
    from scipy.optimize import brentq  # imported where used: it is slow to load

    return float(brentq(gap_of, low, high, xtol=(high - low) * 1e-12, rtol=1e-14, maxiter=200))


def _nearest(stretches: Sequence[tuple[float, float]], now: float) -> float:
    """The amount within any of these that is nearest to now; NaN without any."""
    ends = [min(max(now, low), high) for low, high in stretches]
    return min(ends, key=lambda amount: abs(amount - now)) if ends else float("nan")


def _is_flat(figures: Values) -> bool:
    known = figures[np.isfinite(figures)]
    if len(known) < len(figures):
        return len(known) == 0
    return float(np.ptp(known)) <= NEARLY * max(1.0, float(np.abs(known).max()))
