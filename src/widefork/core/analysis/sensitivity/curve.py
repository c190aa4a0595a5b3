"""Figures over the range of one assumption: where they cross a target, and where and why the curve bends."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import answer, figure_amounts
from widefork.core.analysis.sensitivity.crossing import crossings
from widefork.core.analysis.sensitivity.moved import Stretch
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue, WideforkError
from widefork.core.figures import Figure
from widefork.core.graph.calculate import Results
from widefork.core.graph.formulas import FormulaValues
from widefork.core.graph.plan import Plan
from widefork.core.language import syntax
from widefork.core.language.syntax import Node
from widefork.core.lines import MemberKey

Values = NDArray[np.float64]
POINTS = 61
"""Amounts a curve is drawn through."""
BENDS = 0.02
"""Of the steepest slope: a change of slope by less is no bend."""
NEARLY = 1e-9
MOST_CELLS = 36
"""Cells of a line held to their course to find out whether it makes the curve bend."""


@dataclass(frozen=True)
class Bend:
    """Where the curve changes its slope at once, and what makes it.

    Parameters
    ----------
    amount : of what is moved. before, after : the slopes, in the figure's unit for one of the amount.
    line : whose formula takes another branch there; empty where it is the month that changes, or nothing was found.
    taken, left : the piece of its formula that holds from there on, and the one that held until there; a condition and
        none for an ``if`` that begins or ceases to hold. holds : of a condition, whether it holds from there on.
    members, month : where that happens first; the month, of a lowest or highest figure, it is from there on.
    """

    amount: float
    before: float
    after: float
    line: str = ""
    taken: Node | None = None
    left: Node | None = None
    holds: bool = True
    members: MemberKey = ()
    month: Month | None = None


@dataclass(frozen=True)
class Curve:
    """Figures over an assumption.

    Parameters
    ----------
    stretch : what is moved. amounts : rising, shape (points,); what is planned is one of them, where it has one.
    figures : the one asked about first. values : shape (figures, points), NaN where there is no answer.
    months : by figure and point, the month of a lowest, highest or first; None where there is none.
    bends : in order. flats : (from, to) between which the first figure stays as it is.
    """

    stretch: Stretch
    amounts: Values
    figures: tuple[Figure, ...]
    values: Values
    months: tuple[tuple[Month | None, ...], ...]
    bends: tuple[Bend, ...]
    flats: tuple[tuple[float, float], ...]

    def crossings(self, goal: float, is_at_least: bool = True) -> tuple[float, ...]:
        """Return the amounts at which the first figure begins or ceases to meet a goal; see ``crossings``."""
        return crossings(self.figures[0], self.amounts, self.values[0], goal, is_at_least)


def trace_curve(
    plan: Plan, changes: Sequence[Change], figures: Sequence[Figure], stretch: Stretch, low: float, high: float
) -> Curve:
    """Return figures with something moved from one amount to another.

    Parameters
    ----------
    changes : the case it is asked in. stretch : what is moved; ``low`` and ``high`` are amounts of it.

    Raises
    ------
    InvalidValue: a range without width. UnknownName, ChangeRefused: what cannot be moved.
    """
    if not low < high:
        raise InvalidValue(f"A curve goes from a lower to a higher amount; {low:g} to {high:g} was given.")
    now = stretch.bounds[1]
    amounts = np.linspace(low, high, POINTS)
    if low < now < high:  # what is planned is one of the points
        amounts[1 + int(np.argmin(np.abs(amounts[1:-1] - now)))] = now
    batch = [(*changes, *stretch.changes(float(amount))) for amount in amounts]
    results = evaluate(plan, batch)
    answers = [answer(figure, results) for figure in figures]
    values = np.stack([each.amounts for each in answers])
    months = tuple(each.months for each in answers)
    bends = _Bends(plan, batch, results, figures[0], stretch, amounts, values[0], months[0])
    return Curve(stretch, amounts, tuple(figures), values, months, bends.found(), _flats(amounts, values[0]))


def _flats(amounts: Values, values: Values) -> tuple[tuple[float, float], ...]:
    """Stretches of at least two segments in a row on which nothing moves."""
    size = NEARLY * max(1.0, float(np.nanmax(np.abs(values), initial=0.0)))
    still = np.abs(np.diff(values)) <= size
    found: list[tuple[float, float]] = []
    start = 0
    for place in range(len(still) + 1):
        if place == len(still) or not still[place]:
            if place - start >= 2:
                found.append((float(amounts[start]), float(amounts[place])))
            start = place + 1
    return tuple(found)


@dataclass(frozen=True)
class _Switch:
    """A formula that takes another branch within a segment near a bend: where its pieces are equal, in which cells."""

    bend: int
    segment: int
    amount: float
    line: str
    taken: Node
    left: Node | None
    holds: bool
    cells: NDArray[np.bool_]


class _Bends:
    """Finds where a curve bends, and the formula that makes it: held to its course, the bend is gone."""

    def __init__(
        self,
        plan: Plan,
        batch: Sequence[tuple[Change, ...]],
        results: Results,
        figure: Figure,
        stretch: Stretch,
        amounts: Values,
        values: Values,
        months: tuple[Month | None, ...],
    ) -> None:
        self.plan, self.batch, self.results, self.figure, self.stretch = plan, batch, results, figure, stretch
        self.amounts, self.values, self.months = amounts, values, months
        self.slopes = np.diff(values) / np.diff(amounts)
        self.formulas = FormulaValues(plan.model, results.arrays)

    def found(self) -> tuple[Bend, ...]:
        """All bends, in order."""
        bent = self._bent()
        if not bent:
            return ()
        switches = list(self._switches(bent))
        shares = self._explained(switches)
        found = []
        for number, run in enumerate(bent):
            own = [(s, share) for s, share in zip(switches, shares, strict=True) if s.bend == number]
            found.append(self._bend(run, own))
        return tuple(found)

    def _bent(self) -> list[list[int]]:
        """Runs of segments in which the slope changes at once: by much, and by more than it does beside them.

        A bend lies within one segment, but shows in the two beside it as well.
        """
        slopes = self.slopes
        known = np.abs(slopes[np.isfinite(slopes)])
        if not known.size or self.figure.reduction.gives_month:
            return []
        least, found = BENDS * float(known.max()), []
        for place in range(1, len(slopes) - 1):
            change = abs(slopes[place + 1] - slopes[place - 1])
            around = [
                abs(slopes[at + 1] - slopes[at - 1]) for at in (place - 3, place + 3) if 1 <= at < len(slopes) - 1
            ]
            usual = min((gap for gap in around if np.isfinite(gap)), default=0.0)
            if np.isfinite(change) and change > least and change > 3 * usual:
                found.append(place)
        return _runs(found)

    def _bend(self, run: list[int], own: list[tuple[_Switch, float]]) -> Bend:
        for place in self._around(run):
            left, taken = self.months[place], self.months[place + 1]
            if left is not None and taken is not None and left != taken:
                return Bend(self._meeting(place), *self._beside(place), month=taken)
        known = [each for each, share in own if share > 0.5]
        if not known:
            middle = (run[0] + run[-1]) // 2
            return Bend(self._meeting(middle), *self._beside(middle))
        chosen = known[0]  # the first in the order of calculation: what follows from it is not the cause
        members, month = self._first_cell(chosen)
        slopes = self._beside(chosen.segment)
        return Bend(chosen.amount, *slopes, chosen.line, chosen.taken, chosen.left, chosen.holds, members, month)

    def _around(self, run: list[int]) -> range:
        """The segments of a run and one on both sides, those that have a neighbour on both sides."""
        return range(max(1, run[0] - 1), min(len(self.slopes) - 2, run[-1] + 1) + 1)

    def _beside(self, segment: int) -> tuple[float, float]:
        return float(self.slopes[segment - 1]), float(self.slopes[segment + 1])

    def _meeting(self, segment: int) -> float:
        """Where the straight lines from both sides meet; the middle where that is not between them."""
        before, after = self._beside(segment)
        otherwise = float(self.amounts[segment] + self.amounts[segment + 1]) / 2
        low, high = self.amounts[segment - 1], self.amounts[segment + 2]
        if before == after:
            return otherwise
        at = (self.values[segment + 1] - self.values[segment] + before * self.amounts[segment]
              - after * self.amounts[segment + 1]) / (before - after)  # fmt: skip
        return float(at) if low <= at <= high else otherwise

    def _between(self) -> list[str]:
        """Lines on the way from what is moved to the figure, in the order of calculation."""
        wanted = self.plan.upstream(self.plan.with_ratios([self.figure.line]))
        reached = set(self.stretch.lines)
        ordered = [name for step in self.plan.steps for name in step.lines if name in wanted]
        count = -1
        while count != len(reached):
            count = len(reached)
            reached |= {name for name in ordered if not reached.isdisjoint(self.plan.needs[name].names)}
        return [name for name in ordered if name in reached and name not in self.stretch.lines]

    def _switches(self, bent: list[list[int]]) -> Iterator[_Switch]:
        """All formulas that take another branch at a bend or one segment beside it."""
        near = {place: number for number, run in enumerate(bent) for place in self._around(run)}
        start = self.plan.model.timeline.actual_count
        window = slice(0, len(self.plan.model.timeline.months))
        for name in self._between():
            for node in syntax.walk(self.plan.computed[name]):
                match node:
                    case syntax.Call("min" | "max" as function, arguments):
                        sizes = np.stack(
                            np.broadcast_arrays(*(self.formulas.value_of(each, window) for each in arguments))
                        )
                        sizes = sizes[..., start:, :]
                        if sizes.shape[-1] == len(self.amounts):
                            yield from self._chosen(name, function, arguments, sizes, near)
                    case syntax.Conditional(condition, _, _):
                        truth = self.formulas.value_of(condition, window)[..., start:, :] != 0
                        if truth.shape[-1] == len(self.amounts):
                            yield from self._turned(name, condition, truth, near)

    def _chosen(
        self, name: str, function: str, arguments: tuple[Node, ...], sizes: Values, near: dict[int, int]
    ) -> Iterator[_Switch]:
        calm = np.nan_to_num(sizes)
        taken = calm.argmin(axis=0) if function == "min" else calm.argmax(axis=0)
        for place, bend in near.items():
            moved = taken[..., place] != taken[..., place + 1]
            for old, new in sorted({(int(a), int(b)) for a, b in zip(taken[..., place][moved], taken[..., place + 1][moved], strict=True)}):  # noqa: E501  # fmt: skip
                cells = (taken[..., place] == old) & (taken[..., place + 1] == new)
                gap = (calm[old] - calm[new])[cells]
                here, there = gap[..., place], gap[..., place + 1]
                with np.errstate(divide="ignore", invalid="ignore"):
                    share = np.nan_to_num(here / (here - there), nan=0.5)
                at = float(np.clip(share, 0, 1).min())
                amount = self.amounts[place] + at * (self.amounts[place + 1] - self.amounts[place])
                yield _Switch(bend, place, float(amount), name, arguments[new], arguments[old], True, cells)

    def _turned(self, name: str, condition: Node, truth: NDArray[np.bool_], near: dict[int, int]) -> Iterator[_Switch]:
        for place, bend in near.items():
            for holds in (True, False):
                cells = (truth[..., place] != truth[..., place + 1]) & (truth[..., place + 1] == holds)
                if cells.any():
                    amount = float(self.amounts[place] + self.amounts[place + 1]) / 2
                    yield _Switch(bend, place, amount, name, condition, None, holds, cells)

    def _explained(self, switches: list[_Switch]) -> list[float]:
        """How much of its bend each accounts for: the share that is gone when its cells go on as they did before."""
        held: list[tuple[int, int, tuple[Change, ...]]] = []
        for number, switch in enumerate(switches):
            beyond = min(switch.segment + 2, len(self.amounts) - 1)
            try:
                self.plan.check_changeable(switch.line)
            except WideforkError:
                continue
            changes = tuple(self._held(switch, beyond))
            if changes:
                held.append((number, beyond, changes))
        shares = [0.0] * len(switches)
        if not held:
            return shares
        amounts = figure_amounts(self.plan, [(*self.batch[b], *changes) for _, b, changes in held], self.figure)
        for (number, beyond, _), value in zip(held, amounts, strict=True):
            segment = switches[number].segment
            straight = self.values[segment] + self.slopes[segment - 1] * (self.amounts[beyond] - self.amounts[segment])
            bend = self.values[beyond] - straight
            shares[number] = float((self.values[beyond] - value) / bend) if bend else 0.0
        return shares

    def _held(self, switch: _Switch, beyond: int) -> Iterator[Change]:
        """Changes that hold a line's cells to the straight course they were on before."""
        line = self.plan.model.line_by_name.get(switch.line)
        if line is None:
            return
        timeline = self.plan.model.timeline
        values = self.results.values(switch.line)[..., timeline.actual_count :, :]
        before, here = switch.segment - 1, switch.segment
        course = (values[..., here] - values[..., before]) / (self.amounts[here] - self.amounts[before])
        straight = values[..., here] + course * (self.amounts[beyond] - self.amounts[here])
        # Only what leaves its course is held; the cells of the formula's piece may be of fewer members than the line's.
        off = np.argwhere(np.abs(straight - values[..., beyond]) > NEARLY * np.maximum(1.0, np.abs(straight)))
        if len(off) > MOST_CELLS:
            return
        members = [self.plan.model.dimension_by_name[name].members for name in line.dimensions]
        for *places, month in off.tolist():
            named = tuple((d, m[place]) for d, m, place in zip(line.dimensions, members, places, strict=True))
            when = timeline.months[timeline.actual_count + month]
            amount = float(straight[(*places, month)])
            if np.isfinite(amount):
                yield Change(switch.line, Operation.SET, amount, named, when, when)

    def _first_cell(self, switch: _Switch) -> tuple[MemberKey, Month]:
        """The member and month of a switch that come first, the month deciding."""
        model = self.plan.model
        line = model.line_by_name[switch.line]
        spots = np.argwhere(switch.cells)
        *places, month = min(spots.tolist(), key=lambda spot: (spot[-1], spot[:-1]))
        by_name = {
            d.name: d.members[place]
            for d, place, size in zip(model.dimensions, places, switch.cells.shape, strict=False)
            if size > 1
        }
        members = tuple(by_name[name] for name in line.dimensions if name in by_name)
        return members, model.timeline.months[model.timeline.actual_count + month]


def _runs(places: list[int]) -> list[list[int]]:
    """Places one after another, with at most one between them, together."""
    found: list[list[int]] = []
    for place in places:
        if found and place - found[-1][-1] <= 2:
            found[-1].append(place)
        else:
            found.append([place])
    return found
