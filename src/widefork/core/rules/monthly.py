"""Every month typed."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from widefork.core.axes import Month, Timeline
from widefork.core.errors import InvalidValue
from widefork.core.rules.rule import FieldKind, ReadAmount, RuleField, RuleKind, Values, mapping, number, plain


@dataclass(frozen=True)
class Monthly:
    """Values from a month on, one a month; the last one holds afterwards, and 0 stands before."""

    start: Month
    amounts: tuple[float, ...]

    def values(self, timeline: Timeline) -> Values:
        """Return each month's own value."""
        places = np.array([month.ordinal - self.start.ordinal for month in timeline.months])
        amounts = np.array(self.amounts)
        return np.where(places < 0, 0.0, amounts[np.clip(places, 0, len(amounts) - 1)])

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``month by month from Jan 26: 5; 6; 7``."""
        return f"month by month from {self.start.label}: {'; '.join(show(amount) for amount in self.amounts)}"

    def document(self) -> Any:
        """Return the first month and the values."""
        return {"start": str(self.start), "amounts": [plain(amount) for amount in self.amounts]}


def _read(document: Any) -> Monthly:
    given = mapping(document, "a start month and amounts")
    amounts = given.get("amounts")
    if not isinstance(amounts, list) or not amounts:
        raise InvalidValue("Month by month needs a list of amounts.")
    values = tuple(number(a, f"month {i + 1}") for i, a in enumerate(amounts))
    return Monthly(Month.parse(str(given.get("start"))), values)


def _from_words(phrase: str, read: ReadAmount) -> Any | None:
    found = re.fullmatch(r"month by month from ([A-Z][a-z]{2} \d{2,4}): (.+)", phrase)
    if found is None:
        return None
    return {"start": str(Month.parse(found[1])), "amounts": [read(amount) for amount in found[2].split(";")]}


def _fit(timeline: Timeline, values: Values) -> Any:
    return {"start": str(timeline.start), "amounts": [plain(float(value)) for value in values]}


MONTHLY = RuleKind(
    "monthly",
    "Month by month",
    _read,
    Monthly,
    _from_words,
    "month by month from Jan 26: 5; 6; 7",
    (
        RuleField("start", "From", FieldKind.MONTH),
        RuleField("amounts", "Months", FieldKind.AMOUNTS),
    ),
    _fit,
)
