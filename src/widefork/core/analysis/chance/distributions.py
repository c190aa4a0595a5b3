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


def _share_below(standard: Values) -> Values:
    from scipy.special import ndtr  # imported where used: it is slow to load

    return np.asarray(ndtr(standard))
