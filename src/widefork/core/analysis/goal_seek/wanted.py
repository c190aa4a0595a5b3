"""What is wanted of figures, and the figures as a search looks at them."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import figures_amounts
from widefork.core.figures import Figure, Reduction
from widefork.core.goals import Sense
from widefork.core.graph.calculate import ChangeList
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Wanted:
    """One goal: a figure at least, at most or exactly a target, in its unit. One to be kept is a goal like any other.

    The target of a figure that gives a month is the month's running number; a month that never comes is later than any.
    """

    figure: Figure
    sense: Sense
    target: float

    def holds(self, value: float) -> bool:
        """Return whether a value of the figure meets it; what has no value does not."""
        return self.sense.holds(value, self.target)

    def room(self, value: float) -> float:
        """Return by how much a value is better than it, in the figure's unit; negative is short of it."""
        return self.sense.room(value, self.target)


def wanted_amounts(plan: Plan, batch: Sequence[ChangeList], wanted: Sequence[Wanted]) -> Values:
    """Return figures for a batch, shape (goals, batch): a month that never comes is endlessly late, NaN is no value.

    Raises
    ------
    UnknownName, ChangeRefused: a figure or change that cannot be.
    """
    found = figures_amounts(plan, batch, [goal.figure for goal in wanted])
    for place, goal in enumerate(wanted):
        if not goal.figure.reduction.gives_month or not np.isnan(found[place]).any():
            continue
        asked = replace(goal.figure, reduction=Reduction.MONTH_COUNT)  # NaN only where months are broken
        never = np.isnan(found[place]) & np.isfinite(figures_amounts(plan, batch, [asked])[0])
        found[place] = np.where(never, np.inf, found[place])
    return found
