"""Distributions an amount may be drawn from. Each turns standard normal numbers into amounts, so that amounts can be
drawn together: how two standard normals go together is how the amounts do."""

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from widefork.core.errors import InvalidValue

Values = NDArray[np.float64]


class Distribution(Protocol):
    """Anything amounts may be drawn from."""

    def amounts(self, standard: Values) -> Values:
        """Return the amount at each standard normal number: the same share of all amounts lies below it."""


@dataclass(frozen=True)
class Normal:
    """A normal distribution. Raises InvalidValue for a negative deviation."""

    mean: float
    deviation: float

    def __post_init__(self) -> None:
        if not self.deviation >= 0:
            raise InvalidValue(f"A standard deviation is 0 or more; {self.deviation:g} was given.")

    def amounts(self, standard: Values) -> Values:
        """Return mean + deviation × standard."""
        return self.mean + self.deviation * standard


@dataclass(frozen=True)
class Lognormal:
    """An amount whose logarithm is normal. Raises InvalidValue for a negative deviation."""

    log_mean: float
    log_deviation: float

    def __post_init__(self) -> None:
        if not self.log_deviation >= 0:
            raise InvalidValue(f"A standard deviation is 0 or more; {self.log_deviation:g} was given.")

    def amounts(self, standard: Values) -> Values:
        """Return e^(mean + deviation × standard)."""
        return np.asarray(np.exp(self.log_mean + self.log_deviation * standard))


@dataclass(frozen=True)
class Uniform:
    """Every amount from low to high alike. Raises InvalidValue where low lies above high."""

    low: float
    high: float

    def __post_init__(self) -> None:
        if not self.low <= self.high:
            raise InvalidValue(f"A range goes from low to high; {self.low:g} to {self.high:g} was given.")

    def amounts(self, standard: Values) -> Values:
        """Return the amounts in straight proportion."""
        return self.low + (self.high - self.low) * _share_below(standard)


@dataclass(frozen=True)
class Triangular:
    """Low, likely and high, as people estimate. Raises InvalidValue where they do not rise."""

    low: float
    likely: float
    high: float

    def __post_init__(self) -> None:
        if not self.low <= self.likely <= self.high:
            raise InvalidValue(f"Low, likely and high rise; {self.low:g}, {self.likely:g}, {self.high:g} were given.")

    def amounts(self, standard: Values) -> Values:
        """Return the inverse of the distribution's two parabolas."""
        share, width = _share_below(standard), self.high - self.low
        if width == 0:
            return np.full_like(share, self.low)
        below = self.low + np.sqrt(share * width * (self.likely - self.low))
        above = self.high - np.sqrt((1 - share) * width * (self.high - self.likely))
        return np.where(share < (self.likely - self.low) / width, below, above)


@dataclass(frozen=True)
class Pert:
    """Low, likely and high as a smooth hump: a beta distribution whose mean is (low + 4 likely + high) / 6.

    Its variance is (mean - low) (high - mean) / 7. Source: Malcolm, Roseboom, Clark and Fazar, "Application of a
    technique for research and development program evaluation", Operations Research 7 (1959), with the variance of
    Vose, Risk Analysis (2000). Raises InvalidValue where they do not rise.
    """

    low: float
    likely: float
    high: float

    def __post_init__(self) -> None:
        if not self.low <= self.likely <= self.high:
            raise InvalidValue(f"Low, likely and high rise; {self.low:g}, {self.likely:g}, {self.high:g} were given.")

    def amounts(self, standard: Values) -> Values:
        """Return the beta distribution's amounts, stretched from low to high."""
        from scipy.special import betaincinv  # imported where used: it is slow to load

        width = self.high - self.low
        if width == 0:
            return np.full_like(standard, self.low)
        above = (self.likely - self.low) / width
        return self.low + width * np.asarray(betaincinv(1 + 4 * above, 5 - 4 * above, _share_below(standard)))


@dataclass(frozen=True)
class Discrete:
    """A few amounts, each as often as its share says. Raises InvalidValue where shares do not come to 1."""

    points: tuple[float, ...]
    shares: tuple[float, ...]

    def __post_init__(self) -> None:
        if len(self.points) != len(self.shares) or not self.points:
            raise InvalidValue(f"Every amount needs its share; {len(self.points)} and {len(self.shares)} were given.")
        if min(self.shares) < 0 or abs(sum(self.shares) - 1) > 1e-9:
            raise InvalidValue(f"Shares are 0 or more and come to 1 together; theirs is {sum(self.shares):g}.")

    def amounts(self, standard: Values) -> Values:
        """Return the amount in whose share each number lies, the first amount below all others."""
        edges = np.cumsum(self.shares)[:-1]
        return np.asarray(self.points, dtype=float)[np.searchsorted(edges, _share_below(standard), side="right")]


def _share_below(standard: Values) -> Values:
    from scipy.special import ndtr  # imported where used: it is slow to load

    return np.asarray(ndtr(standard))
