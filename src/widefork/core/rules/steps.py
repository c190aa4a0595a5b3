"""A value that holds until the next date with a new one."""

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
    changes_of_value,
    pairs_in_words,
    plain,
)


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
        """Return ``46.00 from Jan 26, then 49.00 from Jan 27``."""
        return ", then ".join(f"{show(value)} from {month.label}" for month, value in self.steps)

    def document(self) -> Any:
        """Return values by month."""
        return {str(month): plain(value) for month, value in self.steps}


def _from_words(phrase: str, read: ReadAmount) -> Any | None:
    pairs = pairs_in_words(phrase, r"(?:, then |, |^)(?P<amount>[^a-z]+?) from (?P<key>[A-Z][a-z]{2} \d{2,4})", read)
    return None if pairs is None else {str(Month.parse(month)): amount for month, amount in pairs}


def _fit(timeline: Timeline, values: Values) -> Any:
    return {str(month): plain(value) for month, value in changes_of_value(timeline, values)}


STEPS = RuleKind(
    "steps",
    "Steps",
    lambda document: Steps(by_month(document, "a step")),
    Steps,
    _from_words,
    "46.00 from Jan 26, then 49.00 from Jan 27",
    (RuleField("", "From", FieldKind.BY_MONTH),),
    _fit,
)
