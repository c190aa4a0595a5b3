"""Evaluates a plan over a batch of change lists with plain NumPy: what the machine is tested against.

Every line's values have one axis per dimension of the model (length 1 where the line is not spread over it), then
months, then the batch (length 1 where nothing in the batch reaches the line). So members line up by place and all
combining is broadcasting.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from widefork.core.changes import Change
from widefork.core.graph.batch import Amounts
from widefork.core.graph.formulas import FormulaValues
from widefork.core.graph.given import absent_places, finished, given_values, known_values, with_changes
from widefork.core.graph.plan import Plan
from widefork.core.lines import Line, MemberKey

MOST_ROUNDS = 200
SETTLED = 1e-12
"""A month that is solved has settled when no line of it moves by more than this share of its size (or of 1)."""

FEW_CASES = 64
"""A batch up to this size is read line by line, again and again; larger ones once."""

Values = NDArray[np.float64]
ChangeList = Sequence[Change]
Origin = tuple[str, tuple[int, ...], int]


@dataclass(frozen=True)
class Results:
    """The values of one evaluation.

    Parameters
    ----------
    plan : what was evaluated. batch : how many change lists.
    unsolved : by line solved within its month, the first month (as its place) in which it did not settle.
    arrays : by line name (auxiliary lines included), shape (members or 1 for each of the model's dimensions...,
        months, batch or 1).
    lists : the change lists evaluated.
    origin : finds where an error value began, where it carries that with it: (line, place along the model's
        dimensions, month's place).
    """

    plan: Plan
    batch: int
    arrays: Mapping[str, Values]
    unsolved: Mapping[str, int] = field(default_factory=dict)
    origin: Callable[[float], Origin | None] = lambda _: None
    lists: Sequence[ChangeList] = ()
    _kept: dict[str, Values] = field(default_factory=dict, repr=False, compare=False)

    def values(self, name: str) -> Values:
        """Return a line's values, shape (members of its own dimensions..., months, batch).

        Raises
        ------
        UnknownName: no such line.
        """
        known = self._kept.get(name)
        if known is None:
            known = self._values(name)
            if self.batch <= FEW_CASES:
                self._kept[name] = known
        return known

    def _values(self, name: str) -> Values:
        line = self.plan.model.line(name)
        array = self.arrays[name]
        axes = [self.plan.model.dimensions.index(d) for d in self.plan.model.dimensions_of(line)]
        absent = tuple(a for a in range(len(self.plan.model.dimensions)) if a not in axes)
        order = [sorted(axes).index(axis) for axis in axes]
        squeezed = np.squeeze(array, axis=absent)
        moved = np.transpose(squeezed, [*order, squeezed.ndim - 2, squeezed.ndim - 1])
        return np.broadcast_to(moved, (*moved.shape[:-1], self.batch))

    def adjusted(self, name: str) -> NDArray[np.bool_]:
        """Return in which entries a change acts on a calculated line directly, shape (batch,)."""
        if self.plan.model.line(name).formula is None:
            return np.zeros(self.batch, dtype=bool)
        if isinstance(self.lists, Amounts):
            names = {change.line for change in (*self.lists.shared, *self.lists.ways)}
            return np.full(self.batch, name in names)
        return np.array([any(change.line == name for change in changes) for changes in self.lists], dtype=bool)

    def alike(self, other: "Results") -> frozenset[str]:
        """Return lines whose values are the same in another evaluation of the same cases; perhaps not all of them."""
        quick = getattr(self.arrays, "alike", None)
        found: frozenset[str] = quick(other.arrays) if quick is not None else frozenset()
        return found

    def largest(self, lines: Sequence[Line]) -> list[float]:
        """Return for each line an amount that none of its values exceeds, nor its members together; 0 for none."""
        quick = getattr(self.arrays, "largest", None)
        if quick is not None:
            return [float(found) for found in quick([line.name for line in lines])]
        found = []
        for line in lines:
            values = np.abs(self.values(line.name))
            found.append(float(np.nansum(values, axis=tuple(range(values.ndim - 2))).max(initial=0.0)))
        return found

    def series(self, name: str, members: MemberKey = (), batch: int = 0) -> Values:
        """Return one member's months, shape (months,); a line without dimensions takes no members."""
        line = self.plan.model.line(name)
        dimensions = self.plan.model.dimensions_of(line)
        places: Any = tuple(d.index(member) for d, member in zip(dimensions, members, strict=True))
        return np.asarray(self.values(name)[(*places, slice(None), batch)])


def evaluate_plainly(plan: Plan, batch: Sequence[ChangeList] = ((),), lines: Sequence[str] | None = None) -> Results:
    """Return what ``engine.evaluate`` returns, formula by formula in NumPy; raises what that raises."""
    plan.check_batch(batch)
    wanted = plan.upstream(plan.with_ratios(lines)) if lines is not None else None
    run = _Run(plan, batch)
    for line in plan.model.lines:
        if line.is_given and (wanted is None or line.name in wanted):
            run.give(line)
    for name in plan.problems:
        if wanted is None or name in wanted:
            run.arrays[name] = run.blank()
    for step in plan.steps:
        if wanted is not None and wanted.isdisjoint(step.lines):
            continue
        if step.is_stepped:
            run.step_through(step.lines, step.is_solved)
        elif step.lines[0] not in plan.problems:
            run.compute(step.lines[0])
    return Results(plan, len(batch), run.arrays, run.unsolved, lists=batch)


class _Run:
    """The working state of one evaluation."""

    def __init__(self, plan: Plan, batch: Sequence[ChangeList]) -> None:
        self.plan, self.model, self.batch = plan, plan.model, batch
        self.timeline = plan.model.timeline
        self.months = self.timeline.month_count
        self.arrays: dict[str, Values] = {}
        self.unsolved: dict[str, int] = {}
        self.ones = (1,) * len(plan.model.dimensions)
        self.formulas = FormulaValues(plan.model, self.arrays)
        self.changes = _by_line(batch)

    def blank(self) -> Values:
        return np.full((*self.ones, self.months, 1), np.nan)

    def full_shape(self, line: Line) -> tuple[int, ...]:
        return tuple(len(d) if d.name in line.dimensions else 1 for d in self.model.dimensions)

    def give(self, line: Line) -> None:
        """Fill in an assumption from its rules, then changes, then actuals."""
        self.arrays[line.name] = given_values(line, self.model, self.changes.get(line.name, [()]))

    def compute(self, name: str) -> None:
        """Calculate one line for all months."""
        array = self.formulas.value_of(self.plan.computed[name], slice(0, self.months))
        line = self.model.line_by_name.get(name)
        lead = self.full_shape(line) if line is not None else array.shape[:-2]
        array = np.broadcast_to(array, (*lead, self.months, array.shape[-1]))
        self.arrays[name] = self._finish(name, array)

    def step_through(self, names: tuple[str, ...], is_solved: bool) -> None:
        """Calculate lines that read their own past, month by month; solve those that need each other in a month."""
        usable = [name for name in names if name not in self.plan.problems]
        width = max([self._width(name) for name in usable], default=1)
        for name in usable:
            line = self.model.line_by_name.get(name)
            lead = self.full_shape(line) if line is not None else self._aux_shape(name)
            self.arrays[name] = np.zeros((*lead, self.months, width))
        actuals = {name: self._actuals(name) for name in usable}
        for month in range(self.months):
            if is_solved:
                self._solve_month(usable, actuals, month)
            else:
                self._compute_month(usable, actuals, month)

    def _compute_month(self, names: list[str], actuals: dict[str, Values | None], month: int) -> None:
        window = slice(month, month + 1)
        for name in names:
            value, given = self.formulas.value_of(self.plan.computed[name], window), actuals[name]
            if given is not None and month < given.shape[-2]:
                known = given[..., window, :]
                value = np.where(np.isnan(known), value, known)
            self.arrays[name][..., window, :] = value
            line = self.model.line_by_name.get(name)
            if line is not None and line.absent:
                for where in absent_places(line, self.model):
                    self.arrays[name][where] = 0.0

    def _solve_month(self, names: list[str], actuals: dict[str, Values | None], month: int) -> None:
        """Compute a month again and again, from the month before on, until nothing in it moves any more."""
        for name in names:
            if month:
                self.arrays[name][..., month, :] = self.arrays[name][..., month - 1, :]
        moved: Any = True
        for _ in range(MOST_ROUNDS):
            earlier = {name: self.arrays[name][..., month, :].copy() for name in names}
            with np.errstate(over="ignore", invalid="ignore"):
                self._compute_month(names, actuals, month)
                moved = np.zeros(1, dtype=bool)
                for name in names:
                    now, before = self.arrays[name][..., month, :], earlier[name]
                    still = np.abs(now - before) <= SETTLED * np.maximum(1.0, np.abs(now))
                    far = ~still & ~np.isnan(now)  # an endless value moves, an error value has settled
                    moved = moved | far.reshape(-1, far.shape[-1]).any(axis=0)
            if not moved.any():
                return
        for name in names:
            self.unsolved.setdefault(name, month)
            self.arrays[name][..., month, :] = np.where(moved, np.nan, self.arrays[name][..., month, :])

    def _width(self, name: str) -> int:
        read = [other for other in self.plan.needs[name].names if other in self.arrays]
        return max([self.arrays[other].shape[-1] for other in read], default=1)

    def _aux_shape(self, name: str) -> tuple[int, ...]:
        owner = self.model.line_by_name[name.split("·")[0]]
        return self.full_shape(owner)

    def _finish(self, name: str, array: Values) -> Values:
        """Apply changes (plan months) and actuals (actual months) to what a formula gave."""
        line = self.model.line_by_name.get(name)
        if line is None:
            return array
        return finished(line, self.model, with_changes(line, self.model, array, self.changes.get(name, [()])))

    def _actuals(self, name: str) -> Values | None:
        line = self.model.line_by_name.get(name)
        return None if line is None else known_values(line, self.model)


def _by_line(batch: Sequence[ChangeList]) -> dict[str, list[tuple[Change, ...]]]:
    names = {change.line for changes in batch for change in changes}
    found: dict[str, list[tuple[Change, ...]]] = {name: [] for name in names}
    for changes in batch:
        grouped: dict[str, list[Change]] = {}
        for change in changes:
            grouped.setdefault(change.line, []).append(change)
        for name, entries in found.items():
            entries.append(tuple(grouped.get(name, ())))
    return found
