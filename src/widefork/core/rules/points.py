"""A straight line between points: each month on its way from one point to the next."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from widefork.core.axes import Month, Timeline
from widefork.core.rules.rule import (
    FieldKind,
    ReadAmount,
    RuleField,
    RuleKind,
    Values,
    by_month,
    months_in_words,
    plain,
)


@dataclass(frozen=True)
class Points:
    """Values in given months; straight in between, held before the first and after the last."""

    points: tuple[tuple[Month, float], ...]

    def values(self, timeline: Timeline) -> Values:
        """Return each month's place on the line."""
        months = [month.ordinal for month in timeline.months]
        return np.interp(months, [month.ordinal for month, _ in self.points], [value for _, value in self.points])

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``straight: 10 in Jan 26, 40 in Jun 27``."""
        return "straight: " + ", ".join(f"{show(value)} in {month.label}" for month, value in self.points)

    def document(self) -> Any:
        """Return values by month."""
        return {str(month): plain(value) for month, value in self.points}


def _from_words(phrase: str, read: ReadAmount) -> Any | None:
    return months_in_words(phrase, "straight: ", read)


def _fit(timeline: Timeline, values: Values) -> Any:
    """The ends, and every month in which the direction changes."""
    # Measured by the amounts beside it: beside a large one elsewhere, a small bend is still one.
    sizes = np.abs(values)
    beside = np.maximum(np.maximum(sizes[:-2], sizes[1:-1]), sizes[2:])
    bends = np.abs(np.diff(values, 2)) > 1e-12 * beside
    kept = [0, *(int(place) + 1 for place in np.flatnonzero(bends)), timeline.month_count - 1]
    return {str(timeline.months[place]): plain(float(values[place])) for place in kept}


POINTS = RuleKind(
    "points",
    "Straight line",
    lambda document: Points(by_month(document, "a point")),
    Points,
    _from_words,
    "straight: 10 in Jan 26, 40 in Jun 27",
    (RuleField("", "In", FieldKind.BY_MONTH),),
    _fit,
)
