"""A triangle of joining month against month: each cohort by its age's weight."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Cohort:
    """Those who joined in one month.

    Parameters
    ----------
    place : of the month they joined in. joined : how many.
    values : float array, shape (months,), what they count in each month; 0 before they joined.
    """

    place: int
    joined: float
    values: Values


def cohorts_of(joins: Values, weights: Sequence[float], each: Values | None = None) -> tuple[Cohort, ...]:
    """Return the cohorts of a flow, the earliest first; months nobody joined in have none.

    Parameters
    ----------
    joins : float array, shape (months,), who joined in each month.
    weights : what one of them counts by age in months; the last value holds for all older ages.
    each : float array, shape (months,), what one who counts in full is worth in a month, such as hours or pay;
        None for one.

    Examples
    --------
    >>> [cohort.values.tolist() for cohort in cohorts_of(np.array([0.0, 2.0, 0.0, 1.0]), (0.5, 1.0))]
    [[0.0, 1.0, 2.0, 2.0], [0.0, 0.0, 0.0, 0.5]]
    """
    months = len(joins)
    curve = np.asarray(weights, dtype=float)
    worth = np.ones(months) if each is None else each
    found = []
    for place in np.flatnonzero(joins):
        ages = np.arange(months) - place
        counted = np.where(ages < 0, 0.0, curve[np.clip(ages, 0, len(curve) - 1)])
        found.append(Cohort(int(place), float(joins[place]), np.asarray(joins[place] * counted * worth)))
    return tuple(found)
