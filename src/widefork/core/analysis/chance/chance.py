"""Random draws of several assumptions at once, and what they do to figures. The same seed draws the same."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.chance.distributions import Distribution
from widefork.core.analysis.figures import figures_amounts
from widefork.core.analysis.lever import Lever
from widefork.core.changes import Change
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.batch import Amounts
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Uncertain:
    """An assumption nobody knows exactly: how it moves, and what its amounts are drawn from."""

    lever: Lever
    distribution: Distribution


@dataclass(frozen=True)
class Chance:
    """What the draws did.

    Parameters
    ----------
    figures : asked for. drawn : shape (draws, uncertain). amounts : shape (figures, draws), in each figure's unit.
    """

    figures: tuple[Figure, ...]
    drawn: Values
    amounts: Values

    def percentile(self, place: int, percent: float) -> float:
        """Return what a figure stays below in so many per cent of the draws."""
        return float(np.percentile(self.amounts[place], percent))

    def mean(self, place: int) -> tuple[float, float]:
        """Return a figure's mean and the standard error of that mean."""
        amounts = self.amounts[place]
        return float(amounts.mean()), float(amounts.std(ddof=1) / np.sqrt(len(amounts)))

    def share_below(self, place: int, amount: float) -> float:
        """Return the share of draws in which a figure lies below an amount."""
        return float((self.amounts[place] < amount).mean())


def draw(uncertain: Sequence[Uncertain], count: int, seed: int, correlations: Values | None = None) -> Values:
    """Return random amounts, shape (count, uncertain).

    Parameters
    ----------
    correlations : shape (uncertain, uncertain), of the underlying standard normals; None for independent draws.

    Raises
    ------
    InvalidValue: fewer than 2 draws, or correlations that cannot be.
    """
    if count < 2:
        raise InvalidValue(f"At least 2 draws are needed; {count} were asked for.")
    standard = np.random.default_rng(seed).standard_normal((count, len(uncertain)))
    if correlations is not None:
        standard = standard @ _root(np.asarray(correlations, dtype=float), len(uncertain)).T
    columns = [entry.distribution.amounts(standard[:, place]) for place, entry in enumerate(uncertain)]
    return np.stack(columns, axis=1)


def _root(correlations: Values, count: int) -> Values:
    fits = correlations.shape == (count, count) and np.allclose(correlations, correlations.T)
    if not fits or not np.allclose(np.diag(correlations), 1):
        raise InvalidValue(f"Correlations are {count} rows of {count}, alike across the diagonal of ones.")
    try:
        return np.asarray(np.linalg.cholesky(correlations))
    except np.linalg.LinAlgError:
        raise InvalidValue("These correlations contradict each other; weaken the strongest.") from None


def run_chance(
    plan: Plan,
    changes: Sequence[Change],
    figures: Sequence[Figure],
    uncertain: Sequence[Uncertain],
    count: int = 1000,
    seed: int = 0,
    correlations: Values | None = None,
) -> Chance:
    """Return figures under random draws on top of a case.

    Raises
    ------
    InvalidValue: as ``draw``. UnknownName, ChangeRefused: a lever that cannot be pulled.
    """
    drawn = draw(uncertain, count, seed, correlations)
    batch = Amounts(tuple(changes), tuple(entry.lever.changes(0.0)[0] for entry in uncertain), drawn)
    return Chance(tuple(figures), drawn, figures_amounts(plan, batch, figures))
