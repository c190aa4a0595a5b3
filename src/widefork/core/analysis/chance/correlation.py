"""Correlations that can be: checked, and repaired to the nearest that can."""

import numpy as np
from numpy.typing import NDArray

from widefork.core.errors import InvalidValue

Values = NDArray[np.float64]
MOST_ROUNDS = 500
SETTLED = 1e-10
LEAST = 1e-8
"""The least eigenvalue left: with less, the root of the matrix would be lost in rounding."""


def checked_correlations(correlations: Values, count: int) -> Values:
    """Return correlations as a matrix; raise InvalidValue where they are no square, not alike across, or beyond ±1."""
    matrix = np.asarray(correlations, dtype=float)
    fits = matrix.shape == (count, count) and np.allclose(matrix, matrix.T)
    if not fits or not np.allclose(np.diag(matrix), 1):
        raise InvalidValue(f"Correlations are {count} rows of {count}, alike across the diagonal of ones.")
    if np.abs(matrix).max(initial=0.0) > 1 + 1e-12:
        raise InvalidValue(f"A correlation lies between -1 and 1; {matrix.flat[np.abs(matrix).argmax()]:g} was given.")
    return matrix


def can_be(correlations: Values) -> bool:
    """Return whether correlations can all hold at once: no eigenvalue is below 0."""
    return float(np.linalg.eigvalsh(correlations).min(initial=1.0)) >= -1e-12


def nearest_correlations(correlations: Values) -> Values:
    """Return the valid correlations nearest to some, by the sum of squared differences.

    Alternating projections with Dykstra's correction: Higham, "Computing the nearest correlation matrix: a problem from
    finance", IMA Journal of Numerical Analysis 22 (2002), algorithm 3.3.
    """
    matrix = np.array(correlations, dtype=float)
    if can_be(matrix):
        return matrix
    found, correction = matrix.copy(), np.zeros_like(matrix)
    for _ in range(MOST_ROUNDS):
        moved = found - correction
        values, vectors = np.linalg.eigh(moved)
        positive = (vectors * np.maximum(values, LEAST)) @ vectors.T
        correction = positive - moved
        before, found = found, positive.copy()
        np.fill_diagonal(found, 1.0)
        if np.linalg.norm(found - before) <= SETTLED * max(1.0, float(np.linalg.norm(found))):
            break
    scale = np.sqrt(np.diag(positive))
    exact: Values = positive / np.outer(scale, scale)
    np.fill_diagonal(exact, 1.0)
    return exact


def root_of(correlations: Values) -> Values:
    """Return what turns independent standard normals into ones that go together: R with R R' = correlations."""
    values, vectors = np.linalg.eigh(correlations)
    root: Values = vectors * np.sqrt(np.maximum(values, 0.0))
    return root
