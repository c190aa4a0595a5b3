"""What each of several levers contributes, attributed without an order."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import figure_amounts
from widefork.core.analysis.lever import OneLever, pull
from widefork.core.analysis.shapley import coalitions, shapley_values
from widefork.core.changes import Change
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.plan import Plan

MOST_LEVERS = 8


def lifts(
    plan: Plan, changes: Sequence[Change], figure: Figure, pulled: Sequence[tuple[OneLever, float]]
) -> NDArray[np.float64]:
    """Return what each lever does to a figure, in its unit; together they are exactly what all do at once.

    The Shapley value over all 2^n combinations, see ``shapley_values``. NaN where some combination has no answer.

    Raises
    ------
    InvalidValue: more than eight levers.
    """
    if len(pulled) > MOST_LEVERS:
        raise InvalidValue(f"Up to {MOST_LEVERS} assumptions are told apart; {len(pulled)} were given.")
    taken = coalitions(len(pulled))
    batch = [pull(changes, [each for each, is_in in zip(pulled, row, strict=True) if is_in]) for row in taken]
    return shapley_values(figure_amounts(plan, batch, figure))
