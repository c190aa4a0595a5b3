"""Where a figure begins or ceases to meet a goal, along a row of amounts."""

import numpy as np
from numpy.typing import NDArray

from widefork.core.figures import Figure, Reduction

Values = NDArray[np.float64]


def meets(values: Values, goal: float, is_at_least: bool) -> NDArray[np.bool_]:
    """Return where values meet a goal; what has no answer does not."""
    return values >= goal if is_at_least else values <= goal


def crossings(figure: Figure, amounts: Values, values: Values, goal: float, is_at_least: bool) -> tuple[float, ...]:
    """Return the amounts at which a goal begins or ceases to be met, in order.

    Between two amounts by a straight line; a figure that is a month or a count of them, or has no answer on one side,
    passes it at the amount that meets it.

    Parameters
    ----------
    amounts : rising, shape (points,). values : of the figure there, the same shape.
    """
    met = meets(values, goal, is_at_least)
    is_stepped = figure.reduction.gives_month or figure.reduction is Reduction.MONTH_COUNT
    found = []
    for place in np.flatnonzero(met[:-1] != met[1:]).tolist():
        here, there = float(values[place] - goal), float(values[place + 1] - goal)
        if is_stepped or not np.isfinite([here, there]).all():
            found.append(float(amounts[place if met[place] else place + 1]))
        else:
            found.append(float(amounts[place] + here / (here - there) * (amounts[place + 1] - amounts[place])))
    return tuple(found)
