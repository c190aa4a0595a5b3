"""The shape of another series at one's own level: for what is known too shortly to have a season or a trend itself.

The other is taken on by the theta method from the same end of history, so that tests know of it what was known then.
"""

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from widefork.core.analysis.trends.methods.method import Method
from widefork.core.analysis.trends.methods.theta import Theta
from widefork.core.analysis.trends.series import Values

if TYPE_CHECKING:
    from collections.abc import Sequence

SHAPE_OF_ANOTHER = "shape_of_another"
SOURCE = "analogous series, common practice for new products"
LEAST = 3
"""Periods known of both, of which the level is learnt."""


@dataclass(frozen=True)
class Like:
    """The other series.

    Parameters
    ----------
    label : in words. values : without gaps, up to the last period known of the series that borrows. season : its
        length. before : how many of them lie before the first of the series that borrows.
    """

    label: str
    values: "Sequence[float]"
    season: int
    before: int


@dataclass(frozen=True)
class Borrowed:
    """The other's forecast times how the latest periods, a year of them at most, compare."""

    like: Like
    per_year: int
    words: str = ""

    def ahead(self, values: Values, horizon: int) -> Values:
        """Return the forecast; raise ValueError where too little is known of both, or the other has nothing there."""
        other = np.asarray(self.like.values[: self.like.before + len(values)], dtype=float)
        count = min(len(values), self.per_year, len(other))
        size = float(other[-count:].sum()) if count else 0.0
        if count < LEAST or len(other) != self.like.before + len(values) or size <= 0:
            raise ValueError(self.like.label)
        return np.asarray(Theta(self.like.season).ahead(other, horizon) * (float(values[-count:].sum()) / size))


def borrowing(like: Like, per_year: int) -> Method:
    """Return the method that borrows the shape of a series."""
    label = f"Shape of {like.label}"
    return Method(SHAPE_OF_ANOTHER, label, SOURCE, lambda season: LEAST, lambda *_: Borrowed(like, per_year))
