"""A value that holds until the next date with a new one."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from widefork.core.axes import Month, Timeline
from widefork.core.rules.rule import RuleKind, Values, by_month, plain


@dataclass(frozen=True)
class Steps:
    """Values from given months on. Before the first step the value is 0."""

    steps: tuple[tuple[Month, float], ...]

    def values(self, timeline: Timeline) -> Values:
        """Return each month's latest step."""
        months = np.array([month.ordinal for month in timeline.months])
        values = np.zeros(timeline.month_count)
        for month, value in self.steps:
            values[months >= month.ordinal] = value
        return values

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``46.00, then 49.00 from Jan 27``."""
        (first_month, first_value), *later = self.steps
        start = show(first_value) if later else f"{show(first_value)} from {first_month.label}"
        return ", ".join(
            [
                start,
                *(f"{'then ' if i == 0 else ''}{show(v)} from {m.label}" for i, (m, v) in enumerate(later)),
            ]
        )

    def document(self) -> Any:
        """Return values by month."""
        return {str(month): plain(value) for month, value in self.steps}


STEPS = RuleKind("steps", "Steps", lambda document: Steps(by_month(document, "a step")), Steps)
