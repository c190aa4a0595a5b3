"""Intervals from what a back-test was off by, each horizon's own: conformal, without a model of the errors.

Errors grow with the horizon; few horizons have many of them. So errors are scaled by how large they usually are at
their horizon, and pooled over neighbouring ones; a rank counts tests rather than errors. Rank and coverage after Vovk,
Gammerman and Shafer, Algorithmic Learning in a Random World (2005): of n errors the (n + 1) × level-th holds the level;
fewer than level / (1 - level) hold none.
"""

from dataclasses import dataclass
from math import ceil

import numpy as np

from widefork.core.analysis.trends.series import Values

LEAN, FAIR = 0.4, 0.1
"""A method that leaned to one side in its tests will lean again, perhaps to the other: its intervals are wider by so
much of how far it leaned beyond what is fair, in usual sizes. Chosen so that intervals hold what they say on public
series; see docs/sources.md."""


@dataclass(frozen=True)
class Reach:
    """How far an interval of a level reaches to both sides, shape (horizon,); NaN where too little is known."""

    level: float
    sizes: Values


def least_errors(level: float) -> int:
    """Return how many errors an interval of a level needs: 19 for 95 %, 4 for 80 %."""
    return ceil(level / (1 - level) - 1e-9)


def usual_sizes(errors: Values) -> Values:
    """Return how large errors usually are at each horizon, shape (horizon,): never smaller further ahead.

    Parameters
    ----------
    errors : shape (origins, horizon), NaN where unknown. The mean size at each horizon, weighed by how many there are,
        is smoothed by the power of the horizon that fits best, between none and one, and both are met half-way.
    """
    counts = (~np.isnan(errors)).sum(axis=0)
    if not counts.any():
        return np.full(errors.shape[1], np.nan)
    with np.errstate(invalid="ignore", divide="ignore"):
        means = np.where(counts > 0, np.nansum(np.abs(errors), axis=0) / np.maximum(counts, 1), np.nan)
    steps = np.arange(1, errors.shape[1] + 1, dtype=float)
    known = counts > 0
    best = (float("inf"), np.ones_like(steps))
    for power in np.linspace(0, 1, 11):
        shape = steps**power
        factor = float((counts[known] * means[known]).sum() / (counts[known] * shape[known]).sum())
        misfit = float((counts[known] * (means[known] - factor * shape[known]) ** 2).sum())
        best = min(best, (misfit, factor * shape), key=lambda each: each[0])
    smooth = best[1]
    weight = counts / (counts + 4.0)
    mixed = np.where(known, weight * np.nan_to_num(means) + (1 - weight) * smooth, smooth)
    return np.maximum.accumulate(np.maximum(mixed, 1e-300))


def reach_of(errors: Values, level: float, sizes: Values | None = None) -> Reach:
    """Return how far an interval reaches to both sides of a forecast.

    Parameters
    ----------
    errors : shape (origins, horizon), NaN where unknown. level : above 0 and below 1.
    sizes : see ``usual_sizes``; of these errors where it is None.
    """
    own = usual_sizes(errors) if sizes is None else sizes
    scaled = errors / own
    horizon, needed = errors.shape[1], least_errors(level)
    reached = np.full(horizon, np.nan)
    if int((~np.isnan(scaled)).sum()) < needed:
        return Reach(level, reached)
    tests = int((~np.isnan(scaled)).any(axis=1).sum())
    share = min(1.0, (tests + 1) * level / tests)  # errors of one test hang together: it counts tests, not errors
    lean = abs(float(np.nanmean(scaled)))
    scaled = np.abs(scaled)
    for at in range(horizon):
        pool = _pooled(scaled, at, max(needed, 2 * errors.shape[0]))
        reached[at] = np.quantile(pool, share, method="higher") * own[at] * (1 + LEAN * max(0.0, lean - FAIR))
    return Reach(level, np.maximum.accumulate(reached))


def _pooled(scaled: Values, at: int, wanted: int) -> Values:
    """Scaled errors of a horizon and as many neighbours as it takes to have so many."""
    width = 0
    while True:
        part = scaled[:, max(0, at - width) : at + width + 1]
        pool = part[~np.isnan(part)]
        if pool.size >= wanted or width >= scaled.shape[1]:
            return pool
        width += 1


def coverage_of(errors: Values, level: float) -> float:
    """Return the share of errors inside the intervals that all other origins' errors give; NaN where too few."""
    inside, count = 0, 0
    for row in range(errors.shape[0]):
        others = np.delete(errors, row, axis=0)
        own = errors[row]
        known = ~np.isnan(own)
        if not known.any() or int((~np.isnan(others)).sum()) < least_errors(level):
            continue
        sizes = reach_of(others, level).sizes
        inside += int((np.abs(own[known]) <= sizes[known]).sum())
        count += int(known.sum())
    return inside / count if count else float("nan")
