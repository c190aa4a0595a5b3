"""Amounts in single months, 0 in all others."""

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
class OneOff:
    """Amounts by month."""

    amounts: tuple[tuple[Month, float], ...]

    def values(self, timeline: Timeline) -> Values:
        """Return the amounts in their months."""
        given = dict(self.amounts)
        return np.array([given.get(month, 0.0) for month in timeline.months])

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``once: 48,000 in Nov 26``."""
        return "once: " + ", ".join(f"{show(amount)} in {month.label}" for month, amount in self.amounts)

    def document(self) -> Any:
        """Return amounts by month."""
        return {str(month): plain(amount) for month, amount in self.amounts}


def _from_words(phrase: str, read: ReadAmount) -> Any | None:
    """Also reads ``1 in Oct 26, 2 in Mar 27``, with nothing before it."""
    return months_in_words(f"once: {phrase.removeprefix('once: ')}", "once: ", read)


def _fit(timeline: Timeline, values: Values) -> Any:
    found = {str(month): plain(float(value)) for month, value in zip(timeline.months, values, strict=True) if value}
    return found or {str(timeline.start): 0}


ONE_OFF = RuleKind(
    "one_off",
    "One-off",
    lambda document: OneOff(by_month(document, "an amount")),
    OneOff,
    _from_words,
    "once: 48,000 in Nov 26, 52,000 in May 27",
    (RuleField("", "In", FieldKind.BY_MONTH),),
    _fit,
)
