"""The same value in every month."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from widefork.core.axes import Timeline
from widefork.core.rules.rule import MAGNITUDES, FieldKind, ReadAmount, RuleField, RuleKind, Values, number, plain


@dataclass(frozen=True)
class Flat:
    """One value for all months."""

    value: float

    def values(self, timeline: Timeline) -> Values:
        """Return the value in each month."""
        return np.full(timeline.month_count, self.value)

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``flat 46.00``."""
        return f"flat {show(self.value)}"

    def document(self) -> Any:
        """Return the bare number."""
        return plain(self.value)


def _from_words(phrase: str, read: ReadAmount) -> Any | None:
    amount = phrase.removeprefix("flat ")
    words = re.findall(r"[^\W\d_]+", amount)
    return None if not amount or any(word.lower() not in MAGNITUDES for word in words) else read(amount)


def _fit(timeline: Timeline, values: Values) -> Any:
    """The first plan month's value, which is what holds from now on."""
    return plain(float(values[min(timeline.actual_count, timeline.month_count - 1)]))


FLAT = RuleKind(
    "flat",
    "Flat",
    lambda d: Flat(number(d, "a flat value")),
    Flat,
    _from_words,
    "flat 46.00",
    (RuleField("", "Every month", FieldKind.AMOUNT),),
    _fit,
)
