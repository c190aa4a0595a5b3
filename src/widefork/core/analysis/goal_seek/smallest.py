"""The smallest change over several assumptions that meets one goal or more, each kept within its bounds.

What a change costs is the weighted sum of squares of how far every assumption goes, measured in shares of its own
range. SciPy's SLSQP is run from several starts, and what it finds is rounded and put back through the plan. Where the
model bends, the best found may be the best nearby only.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import floor, log10
from typing import Any

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import figures_amounts
from widefork.core.analysis.goal_seek.seek import Outcome
from widefork.core.analysis.goal_seek.wanted import Wanted
from widefork.core.analysis.lever import Lever, OneLever, SwitchLever, pull
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidValue
from widefork.core.goals import Sense
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]
STEP = 1e-4
"""Of the range: how far an assumption is moved to see what that does."""
NEARLY = 1e-9
NEAREST_STARTS, NEAREST_STEPS = 3, 40
"""How the nearest is looked for where the goals cannot be met: it is to point somewhere, not to be the best of all."""
MOST_STEPS, FEWER_STEPS = 80, 20
"""Of a search: fewer for later starts once the first have all failed."""
STARTS = 4
"""Starts spread over the bounds, beside those that one would try by hand."""
ALIKE = 0.01
"""Costs that differ by less are the same best."""
NO_ANSWER = -1e6
"""What a figure without a value falls short by, in sizes of its goal, so that a search turns away from it."""


@dataclass(frozen=True)
class Bounded:
    """One assumption that may change.

    Parameters
    ----------
    low, now, high : amounts of the lever; ``now`` leaves it as it is and lies within the bounds.
    weight : how hard a change of it is, above 0; twice as hard counts twice.
    """

    lever: OneLever
    low: float
    now: float
    high: float
    weight: float = 1.0


@dataclass(frozen=True)
class Smallest:
    """What was found.

    Parameters
    ----------
    outcome : REACHED, ALREADY, OUT_OF_REACH, NO_DEPENDENCE or NO_VALUE. amounts : of every lever, in order; where it is
        out of reach, those that come nearest. figures : of every goal there, and ``figures_now`` as they stand.
    missing : what every goal falls short by, 0 or more, in its figure's unit.
    effects : how far every goal moves when its lever alone goes to its amount, shape (levers, goals).
    idle : of every lever, whether neither end of its range does anything to any goal.
    is_only : whether all starts that met the goals led to the same change; else there are several, of which this is the
        smallest found.
    """

    outcome: Outcome
    amounts: tuple[float, ...]
    figures: tuple[float, ...]
    figures_now: tuple[float, ...]
    missing: tuple[float, ...]
    effects: Values
    is_only: bool
    idle: tuple[bool, ...]
    evaluations: int


def smallest_change(
    plan: Plan, changes: Sequence[Change], wanted: Sequence[Wanted], levers: Sequence[Bounded], in_units: bool = False
) -> Smallest:
    """Return the smallest change of some assumptions under which all goals hold.

    Parameters
    ----------
    in_units : how far each goes is measured in its own unit, a share as its hundredths; else in shares of its range.

    Raises
    ------
    InvalidValue: no goal or no lever, one twice, bounds without width or without what stands now, a weight not above 0,
        a goal of exactly, a figure that is a month. UnknownName, ChangeRefused: what cannot be changed.
    """
    _check(wanted, levers)
    return _Search(plan, tuple(changes), wanted, levers, in_units).run()


def _check(wanted: Sequence[Wanted], levers: Sequence[Bounded]) -> None:
    if not wanted or not levers:
        raise InvalidValue("It takes at least one goal, and at least one assumption that may change.")
    moved = [_moved(each.lever) for each in levers]
    if len(set(moved)) < len(moved):
        raise InvalidValue("The same assumption stands twice among those that may change; name each once.")
    for each in levers:
        if not each.low < each.high or not each.low <= each.now <= each.high:
            said = f"{_moved(each.lever)[0]} goes from {each.low:g} to {each.high:g} and stands at {each.now:g}"
            raise InvalidValue(f"{said}; bounds have a width, and what stands now lies within them.")
        if (isinstance(each.lever, SwitchLever) and each.lever.is_start) or _is_delay(each.lever):
            raise InvalidValue(
                f"{_moved(each.lever)[0]} goes in whole months, which have no smallest change; ask for it by itself."
            )
        if not each.weight > 0:
            raise InvalidValue(f"How hard a change is is a number above 0; {each.weight:g} was given.")
    for goal in wanted:
        if goal.sense is Sense.EXACTLY or goal.figure.reduction.gives_month:
            raise InvalidValue(
                f"{goal.figure.label} is asked for as at least or at most an amount when several change."
            )


def _moved(lever: OneLever) -> tuple[str, tuple[tuple[str, str], ...]]:
    """What a lever moves: the line with its members, or the move."""
    return (lever.line, lever.members) if isinstance(lever, Lever) else (lever.switch.move, ())


def _hundredths(plan: Plan, lever: OneLever) -> float:
    """How many of its own unit 1 of a lever's amounts is: a hundred for factors and shares, which are told in %."""
    if not isinstance(lever, Lever) or lever.operation is Operation.SCALE:
        return 100.0
    return 100.0 if plan.model.line(lever.line).unit.startswith("%") else 1.0


def _is_delay(lever: OneLever) -> bool:
    return isinstance(lever, Lever) and lever.operation is Operation.DELAY


def _minimize() -> Any:
    from scipy.optimize import minimize  # imported where used: it is slow to load

    return minimize


class _Search:
    def __init__(
        self, plan: Plan, changes: tuple[Change, ...], wanted: Sequence[Wanted], levers: Sequence[Bounded],
        in_units: bool,
    ) -> None:  # fmt: skip
        self.plan, self.changes, self.wanted, self.levers = plan, changes, wanted, levers
        self.width = np.array([each.high - each.low for each in levers])
        self.now = np.array([each.now for each in levers])
        self.low = np.array([(each.low - each.now) for each in levers]) / self.width
        self.high = np.array([(each.high - each.now) for each in levers]) / self.width
        self.weights = np.array([each.weight for each in levers])
        if in_units:
            sizes = self.width * np.array([_hundredths(plan, each.lever) for each in levers])
            self.weights = self.weights * (sizes / sizes.max()) ** 2
        self.idle: tuple[bool, ...] = ()
        self.signs = np.array([1.0 if goal.sense is Sense.AT_LEAST else -1.0 for goal in wanted])
        self.targets = np.array([goal.target for goal in wanted])
        self.scale = np.ones(len(wanted))
        self.evaluations = 0
        self.known: dict[bytes, tuple[Values, Values]] = {}

    def figures(self, shares: Values) -> Values:
        """The figures with all levers so many shares of their ranges from where they stand, shape (points, goals)."""
        batch = []
        for point in shares:
            pulled = zip(self.levers, self.now + point * self.width, strict=True)
            batch.append(pull(self.changes, [(each.lever, float(a)) for each, a in pulled if a != each.now]))
        self.evaluations += len(batch)
        return figures_amounts(self.plan, batch, [goal.figure for goal in self.wanted]).T

    def room(self, figures: Values) -> Values:
        """By how much every goal is met, in sizes of the goal; negative is short."""
        found: Values = np.nan_to_num(self.signs * (figures - self.targets) / self.scale, nan=NO_ANSWER)
        return found

    def slopes(self, point: Values) -> tuple[Values, Values]:
        """The room at a point and its slopes by every lever, from one batch."""
        key = point.tobytes()
        if key not in self.known:
            steps = np.where(point + STEP <= self.high, STEP, -STEP)
            rooms = self.room(self.figures(np.vstack([point, point + np.diag(steps)])))
            self.known[key] = rooms[0], ((rooms[1:] - rooms[0]) / steps[:, None]).T
        return self.known[key]

    def cost(self, point: Values) -> float:
        return float(self.weights @ point**2)

    def run(self) -> Smallest:
        count = len(self.levers)
        alone = np.vstack([np.zeros(count), np.diag(self.low), np.diag(self.high)])
        reached = self.figures(alone)
        standing = reached[0]
        if np.isnan(reached).all():
            return self.told(Outcome.NO_VALUE, np.zeros(count), True)
        span = np.nan_to_num(np.ptp(reached, axis=0))
        self.scale = np.maximum(np.maximum(span, np.abs(np.nan_to_num(standing - self.targets))), NEARLY)
        rooms = self.room(reached)
        still = (np.abs(rooms[1:] - rooms[0]) <= NEARLY).all(axis=1)
        self.idle = tuple((still[:count] & still[count:]).tolist())
        if (rooms[0] >= -NEARLY).all():
            return self.told(Outcome.ALREADY, np.zeros(count), True)
        if (np.abs(rooms - rooms[0])[:, rooms[0] < -NEARLY] <= NEARLY).all():
            return self.told(Outcome.NO_DEPENDENCE, np.zeros(count), True)
        short = np.minimum(rooms, 0).sum(axis=1)
        better = np.where(short[1 + count :] >= short[1 : 1 + count], self.high, self.low)
        found: list[Values] = []
        for place, start in enumerate(self.starts(better)):
            steps = MOST_STEPS if found or place < NEAREST_STARTS else FEWER_STEPS  # it looks as if there were none
            point = self.solve(start, steps)
            found += [point] if point is not None else []
        if not found:
            return self.told(Outcome.OUT_OF_REACH, self.nearest(better), True)
        found.sort(key=self.cost)
        costs = [self.cost(point) for point in found]
        return self.told(Outcome.REACHED, self.rounded(found[0]), costs[-1] <= costs[0] * (1 + ALIKE) + NEARLY)

    def starts(self, better: Values) -> list[Values]:
        from scipy.stats import qmc  # imported where used: it is slow to load

        count = len(self.levers)
        spread = qmc.Sobol(count, rng=np.random.default_rng(0)).random(STARTS)
        anywhere = self.low + spread * (self.high - self.low)
        single = [np.where(np.arange(count) == place, better, 0.0) for place in range(count)]
        return [np.zeros(count), better / 2, better, *single, *anywhere]

    def solve(self, start: Values, steps: int) -> Values | None:
        """The smallest change SLSQP finds from a start; None where it does not meet the goals."""
        minimize = _minimize()

        found = minimize(
            self.cost, start, jac=lambda point: 2 * self.weights * point, method="SLSQP",
            bounds=list(zip(self.low, self.high, strict=True)), options={"maxiter": steps, "ftol": 1e-12},
            constraints={"type": "ineq", "fun": lambda p: self.slopes(p)[0], "jac": lambda p: self.slopes(p)[1]},
        )  # fmt: skip
        point = np.clip(found.x, self.low, self.high)
        return point if (self.slopes(point)[0] >= -1e-6).all() else None

    def nearest(self, better: Values) -> Values:
        """The change that falls short by the least in all, measured in sizes of the goals."""
        minimize = _minimize()

        def short(point: Values) -> float:
            return float((np.minimum(self.slopes(point)[0], 0) ** 2).sum())

        def slope(point: Values) -> Values:
            rooms, slopes = self.slopes(point)
            return np.asarray(2 * np.minimum(rooms, 0) @ slopes)

        bounds = list(zip(self.low, self.high, strict=True))
        limits = {"maxiter": NEAREST_STEPS}
        tried = [
            minimize(short, start, jac=slope, method="L-BFGS-B", bounds=bounds, options=limits).x
            for start in self.starts(better)[:NEAREST_STARTS]
        ]
        points: list[Values] = [np.clip(point, self.low, self.high) for point in (*tried, better)]
        nearest: Values = min(points, key=short)
        return nearest

    def rounded(self, point: Values) -> Values:
        """The same in round amounts that still meet the goals: away from where things stand, as far as it takes."""
        for finer in range(4):
            digits = [
                0 if each.lever.is_whole else max(0, 3 + finer - floor(log10(each.high - each.low)))
                for each in self.levers
            ]
            amounts = self.now + point * self.width
            moved = [
                self._outward(amount, each, places)
                for amount, each, places in zip(amounts, self.levers, digits, strict=True)
            ]
            tried: Values = (np.array(moved) - self.now) / self.width
            if (self.room(self.figures(tried[None, :]))[0] >= -NEARLY).all():
                return tried
        return point

    @staticmethod
    def _outward(amount: float, each: Bounded, places: int) -> float:
        """An amount rounded away from where its lever stands, within its bounds."""
        if abs(amount - each.now) <= NEARLY * (each.high - each.low):
            return each.now
        unit = 10.0**places
        away = np.ceil(amount * unit - 1e-9) if amount > each.now else np.floor(amount * unit + 1e-9)
        return float(np.clip(round(float(away) / unit, places), each.low, each.high))

    def told(self, outcome: Outcome, point: Values, is_only: bool) -> Smallest:
        count = len(self.levers)
        figures = self.figures(np.vstack([np.zeros(count), point, np.diag(point)]))
        amounts = [float(each.now if share == 0 else each.now + share * width)
                   for each, share, width in zip(self.levers, point, self.width, strict=True)]  # fmt: skip
        missing = np.maximum(0.0, -self.signs * (figures[1] - self.targets))
        slack = NEARLY * np.maximum(1.0, np.abs(self.targets))
        return Smallest(
            outcome,
            tuple(float(f"{amount:.12g}") for amount in amounts),
            tuple(figures[1].tolist()),
            tuple(figures[0].tolist()),
            tuple(np.where(missing <= slack, 0.0, missing).tolist()),
            figures[2:] - figures[0],
            is_only,
            self.idle or (False,) * count,
            self.evaluations,
        )
