"""How much of a figure's variance each thing drawn accounts for: first-order and total Sobol indices."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.chance.layout import Layout
from widefork.core.analysis.figures import answer
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]
BATCH = 1024
RESAMPLINGS = 200


@dataclass(frozen=True)
class Index:
    """One thing's share of the variance.

    Parameters
    ----------
    name : of the spread. first : by itself; total : with all it does together with others. Their errors are
        the standard deviations of resamplings.
    """

    name: str
    first: float
    total: float
    first_error: float
    total_error: float


def sobol_indices(
    plan: Plan,
    layout: Layout,
    figure: Figure,
    count: int = 1024,
    seed: int = 0,
    told: Callable[[int, int], bool] = lambda done, of: True,
) -> tuple[Index, ...]:
    """Return the Sobol indices of everything drawn, all periods of one thing as one group, the greatest first.

    Estimators of Saltelli et al., "Variance based sensitivity analysis of model output", Computer Physics
    Communications 181 (2010), through SciPy; resampled for their errors.

    Parameters
    ----------
    count : of points, a power of two; the model is evaluated (spreads + 2) × count times. told : hears evaluations done
        and of how many; it ends there when it returns False.

    Raises
    ------
    InvalidValue: things that go together, for which such shares do not exist; a figure without answer in some draw, or
        one that does not move; ended early.
    """
    if layout.roots:
        raise InvalidValue("Shares of the variance exist for what is drawn independently; take the correlations off.")
    if count < 2 or count & (count - 1):
        raise InvalidValue(f"The design needs a power of two of points; {count} were asked for.")
    first, second = _pair(layout.dimensions, count, seed)
    groups = [*layout.columns]
    names = [spread.name for spread in layout.spreads]
    if len(layout.cases) > 1:
        groups.append(slice(layout.dimensions - 1, layout.dimensions))
        names.append("the case")
    crossed = crossed_points(first, second, groups)
    return shares_of_variance(names, _figure(plan, layout, figure, [first, second, *crossed], told))


def _pair(dimensions: int, count: int, seed: int) -> tuple[Values, Values]:
    """Two independent sets of standard normal numbers, from one set of Sobol points of twice the dimensions."""
    from scipy.special import ndtri  # imported where used: it is slow to load
    from scipy.stats import qmc

    points = qmc.Sobol(2 * dimensions, scramble=True, rng=np.random.default_rng([seed, 2**16])).random(count)
    standard = ndtri(np.clip(points, 2.0**-33, 1 - 2.0**-33))
    return standard[:, :dimensions], standard[:, dimensions:]


def _figure(
    plan: Plan, layout: Layout, figure: Figure, sets: Sequence[Values], told: Callable[[int, int], bool]
) -> list[Values]:
    found = []
    total, done = sum(len(each) for each in sets), 0
    for standard in sets:
        amounts = np.empty(len(standard))
        for start in range(0, len(standard), BATCH):
            drivers = layout.drivers(standard[start : start + BATCH])
            for rows, batch in layout.batches(drivers):
                amounts[start + rows] = answer(figure, evaluate(plan, batch, [figure.line])).amounts
            done += len(drivers)
            if not told(done, total):
                raise InvalidValue("It was ended before it was done, so nothing can be said of shares.")
        found.append(amounts)
    return found


def crossed_points(first: Values, second: Values, groups: Sequence[slice]) -> list[Values]:
    """Return the first points with one group's columns from the second, for every group."""
    crossed = []
    for own in groups:
        mixed = first.copy()
        mixed[:, own] = second[:, own]
        crossed.append(mixed)
    return crossed


def shares_of_variance(names: Sequence[str], figures: Sequence[Values]) -> tuple[Index, ...]:
    """Return the Sobol indices of some things, the greatest first.

    Parameters
    ----------
    names : of the groups of numbers. figures : at the first points, the second, and at those crossed for every group.

    Raises
    ------
    InvalidValue: a figure without answer, or one that never moves.
    """
    values = np.stack(figures)
    if np.isnan(values).any():
        raise InvalidValue("The figure has no answer in some of the draws, so its variance cannot be told apart.")
    if not np.ptp(values[:2]):
        raise InvalidValue("The figure is the same in all draws: nothing drawn moves it.")
    # Centred, as the estimators are exact only up to rounding of the mean's square.
    values = values - values[:2].mean()
    firsts, totals = _estimated(values)
    own = np.random.default_rng(0)
    resampled = np.stack(
        [_estimated(values[:, own.integers(0, values.shape[1], values.shape[1])]) for _ in range(RESAMPLINGS)]
    )
    errors = np.nan_to_num(resampled.std(axis=0, ddof=1))
    found = [
        Index(name, float(first), float(total), float(first_error), float(total_error))
        for name, first, total, first_error, total_error in zip(names, firsts, totals, *errors, strict=True)
    ]
    return tuple(sorted(found, key=lambda index: -index.total))


def _estimated(values: Values) -> tuple[Values, Values]:
    """First-order and total indices of figures at both sets of points and at the crossed ones."""
    from scipy.stats import sobol_indices as estimated  # imported where used: it is slow to load

    parts = {"f_A": values[0][None, :], "f_B": values[1][None, :], "f_AB": values[2:, None, :]}
    result = estimated(func=parts, n=values.shape[1])  # type: ignore[arg-type]  # its stubs know only functions
    return np.ravel(result.first_order), np.ravel(result.total_order)
