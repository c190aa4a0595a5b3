"""Two assumptions at once: a figure over a square of their amounts, and where on it a goal is met."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import product

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import figure_amounts
from widefork.core.analysis.sensitivity.axis import Axis, Of
from widefork.core.analysis.sensitivity.crossing import crossings, meets
from widefork.core.changes import Change, Step, Switch
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.batch import Amounts
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Square:
    """A figure over two assumptions.

    Parameters
    ----------
    case : it stands on. across, down : the sides. values : shape (down, across), in the figure's unit; running numbers
        of months where it gives one; NaN where it has no answer.
    """

    case: str
    figure: Figure
    across: Axis
    down: Axis
    values: Values

    def reaches(self, goal: float, is_at_least: bool) -> NDArray[np.bool_]:
        """Return where a goal is met, shape (down, across); without an answer it is not."""
        return meets(self.values, goal, is_at_least)

    def along(self, goal: float, is_at_least: bool = True) -> tuple[tuple[float, ...], ...]:
        """Return for every amount across the amounts down at which a goal begins or ceases to be met, in order."""
        return tuple(crossings(self.figure, self.down.amounts, column, goal, is_at_least) for column in self.values.T)

    def contour(self, goal: float) -> tuple[Values, ...]:
        """Return the lines on which the figure equals a goal, each of shape (points, 2): across, down."""
        from contourpy import contour_generator  # imported where used: it is not needed to start

        if not np.isfinite(self.values).any():
            return ()
        masked = np.ma.masked_invalid(self.values)
        lines = contour_generator(self.across.amounts, self.down.amounts, masked).lines(goal)
        return tuple(np.asarray(line) for line in lines)

    def steps(self, row: int, column: int) -> tuple[Step, ...]:
        """Return what one place of the square does, moves first."""
        return _steps(self.down, float(self.down.amounts[row]), self.across, float(self.across.amounts[column]))


def try_square(plan: Plan, case: str, figure: Figure, across: Axis, down: Axis) -> Square:
    """Return a figure over every pair of amounts of two axes, evaluated as one batch.

    Raises
    ------
    InvalidValue: the same line or move on both sides. UnknownName, ChangeRefused: what cannot be changed.
    """
    if (across.of, across.name) == (down.of, down.name) and set(across.members) == set(down.members):
        raise InvalidValue(f"{across.label} cannot go both ways; choose two different assumptions.")
    batch = _batch(plan, case, across, down)
    values = figure_amounts(plan, batch, figure)
    return Square(case, figure, across, down, values.reshape(len(down.amounts), len(across.amounts)))


def _batch(plan: Plan, case: str, across: Axis, down: Axis) -> Sequence[Sequence[Change]]:
    """All change lists, row by row; the steps of a case are resolved once for all pairs that switch moves alike."""
    standing = plan.model.changes_of(case)
    if across.is_plain and down.is_plain:
        pairs = np.stack(np.meshgrid(down.amounts, across.amounts, indexing="ij"), axis=-1).reshape(-1, 2)
        ways = tuple(step for axis in (down, across) if isinstance(step := axis.step(0.0), Change))
        return Amounts(standing, ways, pairs)
    resolved: dict[tuple[Step, ...], tuple[Change, ...]] = {(): standing}
    lists = []
    for one, other in product(down.amounts.tolist(), across.amounts.tolist()):
        steps = _steps(down, one, across, other)
        switches = tuple(step for step in steps if isinstance(step, Switch))
        if switches not in resolved:
            resolved[switches] = plan.model.changes_with(case, switches)
        lists.append((*resolved[switches], *(step for step in steps if isinstance(step, Change))))
    return lists


def _steps(down: Axis, one: float, across: Axis, other: float) -> tuple[Step, ...]:
    """What a pair of amounts does, moves first; start and strength of one move are one switch."""
    steps = [down.step(one), across.step(other)]
    switches = [step for step in steps if isinstance(step, Switch)]
    if len(switches) == 2 and down.name == across.name:
        start, strength = switches if down.of is Of.START else reversed(switches)
        switches = [replace(start, strength=strength.strength)]
    return (*switches, *(step for step in steps if isinstance(step, Change)))
