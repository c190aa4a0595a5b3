"""Points spread evenly over all that may be drawn: the same for the same seed, in whatever pieces they are made."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from widefork.core.errors import InvalidValue

Values = NDArray[np.float64]
SCRAMBLINGS = 8
"""Independent scramblings a sweep is made of: from how their answers differ one sees how well they are known."""
LEAST, MOST, MOST_LATIN = 256, 2**20, 100_000
MOST_DIMENSIONS = 21_201
"""So many the direction numbers of SciPy's Sobol points go (Joe and Kuo, 2008)."""
_EDGE = 2.0**-33


class Points(StrEnum):
    """How points are spread."""

    SOBOL = "sobol"
    LATIN = "latin"


@dataclass(frozen=True)
class Design:
    """Which points a sweep draws.

    Parameters
    ----------
    count : in all; a power of two from 256 for Sobol points, at most 100,000 for a Latin hypercube.
    seed : the same draws the same. dimensions : numbers a draw takes.

    Raises
    ------
    InvalidValue: too few or too many; says what can be asked for.
    """

    count: int
    seed: int
    dimensions: int
    points: Points = Points.SOBOL

    def __post_init__(self) -> None:
        if not LEAST <= self.count <= MOST:
            raise InvalidValue(f"From {LEAST} to {MOST:,} draws can be asked for; {self.count:,} were. {self._needs()}")
        if self.points is Points.SOBOL and self.count & (self.count - 1):
            less = 2 ** (self.count.bit_length() - 1)
            said = f"ask for {less:,} or {2 * less:,} instead of {self.count:,}"
            raise InvalidValue(f"Sobol points come in powers of two; {said}.")
        if self.points is Points.LATIN and (self.count > MOST_LATIN or self.count % SCRAMBLINGS):
            raise InvalidValue(
                f"A Latin hypercube has at most {MOST_LATIN:,} points, a multiple of {SCRAMBLINGS}; "
                f"{self.count:,} were asked for."
            )
        if not 1 <= self.dimensions <= MOST_DIMENSIONS:
            raise InvalidValue(
                f"A draw takes {self.dimensions:,} numbers; at most {MOST_DIMENSIONS:,} can be. Draw some assumptions "
                "once or by year instead of month by month."
            )

    def _needs(self) -> str:
        if self.count <= MOST:
            return "Fewer would say nothing about how well an answer is known."
        return f"{self.count:,} would need {self.count // MOST + 1} runs of {MOST:,} on machines of their own."

    @property
    def each(self) -> int:
        """Points of one scrambling."""
        return self.count // SCRAMBLINGS

    def shares(self, scrambling: int, start: int, stop: int) -> Values:
        """Return some points of a scrambling, shape (stop - start, dimensions), each number above 0 and below 1."""
        from scipy.stats import qmc  # imported where used: it is slow to load

        own = np.random.default_rng([self.seed, scrambling])
        if self.points is Points.LATIN:
            found = qmc.LatinHypercube(self.dimensions, rng=own).random(self.each)[start:stop]
        else:
            sobol = qmc.Sobol(self.dimensions, scramble=True, rng=own)
            if start:
                sobol.fast_forward(start)
            whole = 1 << (stop - start - 1).bit_length()  # it complains of a beginning that is no power of two
            found = sobol.random(whole)[: stop - start]
        return np.clip(found, _EDGE, 1 - _EDGE)

    def standard(self, scrambling: int, start: int, stop: int) -> Values:
        """Return the same as standard normal numbers."""
        from scipy.special import ndtri  # imported where used: it is slow to load

        return np.asarray(ndtri(self.shares(scrambling, start, stop)))
