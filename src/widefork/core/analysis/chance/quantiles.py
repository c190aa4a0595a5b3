"""Quantiles of many numbers that come in pieces: exact while they are few, by a sketch of bounded size beyond."""

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]
MOST_EXACT = 100_000
"""Draws up to which every value is kept and quantiles are exact order statistics."""
ACCURACY = 0.001
"""Of the sketch: a quantile is off by at most this share of its size."""
_SMALLEST, _LARGEST = 1e-3, 1e12
"""Sizes the sketch tells apart; what is smaller is 0, what is larger is the largest."""


class Quantiles:
    """Quantiles of rows of numbers, such as the months of a line, over all draws.

    Up to ``MOST_EXACT`` draws all are kept. Beyond, they are counted in bins that grow with size: DDSketch (Masson, Rim
    and Lee, "DDSketch: a fast and fully-mergeable quantile sketch with relative-error guarantees", VLDB 2019). The
    counts are the same in whatever pieces and order the numbers come.

    Parameters
    ----------
    rows : how many. count : of all the numbers a row will get.
    """

    def __init__(self, rows: int, count: int) -> None:
        self.rows, self.is_exact, self.count = rows, count <= MOST_EXACT, 0
        self._pieces: list[Values] = []
        self._growth = (1 + ACCURACY) / (1 - ACCURACY)
        self._half = int(np.ceil(np.log(_LARGEST / _SMALLEST) / np.log(self._growth))) + 1
        bins = 0 if self.is_exact else 2 * self._half + 1
        self._counts = np.zeros((rows, bins), dtype=np.int64)

    def add(self, values: Values) -> None:
        """Take some more draws, shape (rows, draws); what is not a number is left out of a row's quantiles."""
        self.count += values.shape[1]
        if self.is_exact:
            self._pieces.append(values)
            return
        width = self._counts.shape[1]
        places = self._place(values) + np.arange(self.rows)[:, None] * width
        known = np.isfinite(values)
        self._counts += np.bincount(places[known], minlength=self.rows * width).reshape(self.rows, width)

    def at(self, shares: Values) -> Values:
        """Return the quantiles at some shares, shape (shares, rows); NaN for a row without a number."""
        if self.is_exact:
            whole = np.concatenate(self._pieces, axis=1) if self._pieces else np.full((self.rows, 1), np.nan)
            with np.errstate(all="ignore"):
                return np.asarray(np.stack([_quantile(row, shares) for row in whole], axis=1))
        found = np.full((len(shares), self.rows), np.nan)
        for row, counts in enumerate(self._counts):
            total = int(counts.sum())
            if total:
                ranks = np.floor(np.asarray(shares) * (total - 1))
                found[:, row] = self._value(np.searchsorted(np.cumsum(counts), ranks, side="right"))
        return found

    def _place(self, values: Values) -> NDArray[np.int64]:
        size = np.clip(np.abs(np.nan_to_num(values)), 0, _LARGEST)
        with np.errstate(divide="ignore"):
            grown = np.ceil(np.log(size / _SMALLEST) / np.log(self._growth))
        steps = np.where(size < _SMALLEST, 0, 1 + np.clip(np.nan_to_num(grown, neginf=0), 0, self._half - 1))
        return np.asarray(self._half + np.sign(values) * steps, dtype=np.float64).astype(np.int64, casting="unsafe")

    def _value(self, places: NDArray[np.int64]) -> Values:
        steps = np.abs(places - self._half)
        size = 2 * _SMALLEST * self._growth ** (steps - 1.0) / (self._growth + 1)
        return np.asarray(np.where(steps == 0, 0.0, np.sign(places - self._half) * size))


def _quantile(row: Values, shares: Values) -> Values:
    known = row[np.isfinite(row)]
    return np.quantile(known, shares) if known.size else np.full(len(shares), np.nan)
