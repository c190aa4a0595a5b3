"""The Shapley value: what each of several causes contributes to a joint effect, whatever the order they come in.

Source: L. S. Shapley, “A value for n-person games” (1953); see docs/sources.md.
"""

from math import factorial

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]


def coalitions(count: int) -> NDArray[np.bool_]:
    """Return every subset of so many players, shape (2^count, count); row r holds player p where bit p of r is set."""
    rows = np.arange(2**count)
    return np.asarray((rows[:, None] >> np.arange(count)) & 1, dtype=bool)


def shapley_values(worth: Values) -> Values:
    """Return each player's share of what all achieve together.

    Parameters
    ----------
    worth : shape (2^players, ...), in the order of ``coalitions``; what each subset achieves.

    Returns
    -------
    float array, shape (players, ...). The shares add up to the worth of all less the worth of none.
    """
    count = int(worth.shape[0]).bit_length() - 1
    members = coalitions(count)
    sizes = members.sum(axis=1)
    weights = np.array([factorial(size) * factorial(count - size - 1) for size in range(count)]) / factorial(count)
    shares = np.zeros((count, *worth.shape[1:]))
    for player in range(count):
        without = np.flatnonzero(~members[:, player])
        gains = worth[without + 2**player] - worth[without]
        shares[player] = np.tensordot(weights[sizes[without]], gains, axes=1)
    return shares
