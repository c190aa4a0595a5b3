"""The same amount every so many months from a date, 0 in between."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from widefork.core.axes import Month, Timeline
from widefork.core.errors import InvalidValue
from widefork.core.rules.rule import FieldKind, ReadAmount, RuleField, RuleKind, Values, mapping, number, plain


@dataclass(frozen=True)
class Every:
    """An amount in the month ``since`` and every ``months`` months after it."""

    amount: float
    months: int
    since: Month

    def values(self, timeline: Timeline) -> Values:
        """Return the amount in its months."""
        ages = np.array([month.ordinal - self.since.ordinal for month in timeline.months])
        return np.where((ages >= 0) & (ages % self.months == 0), self.amount, 0.0)

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``18,000 every 12 months from Mar 26``."""
        return f"{show(self.amount)} every {self.months} months from {self.since.label}"

    def document(self) -> Any:
        """Return amount, months and first month."""
        return {"amount": plain(self.amount), "months": self.months, "since": str(self.since)}


def _read(document: Any) -> Every:
    given = mapping(document, "amount, months and since")
    months = given.get("months")
    if isinstance(months, bool) or not isinstance(months, int) or months < 1:
        raise InvalidValue(f"The months between are a whole number from 1; got {months!r}.")
    return Every(number(given.get("amount"), "amount"), months, Month.parse(str(given.get("since"))))


def _from_words(phrase: str, read: ReadAmount) -> Any | None:
    found = re.fullmatch(r"(.+) every (\d+) months from ([A-Z][a-z]{2} \d{2,4})", phrase)
    if found is None:
        return None
    return {"amount": read(found[1]), "months": int(found[2]), "since": str(Month.parse(found[3]))}


def _fit(timeline: Timeline, values: Values) -> Any:
    """The first amount and its month, and how long until the next one."""
    places = np.flatnonzero(values)
    first = int(places[0]) if places.size else min(timeline.actual_count, timeline.month_count - 1)
    between = int(places[1]) - first if places.size > 1 else 12
    return {"amount": plain(float(values[first])), "months": between, "since": str(timeline.months[first])}


EVERY = RuleKind(
    "every",
    "Every n months",
    _read,
    Every,
    _from_words,
    "18,000 every 12 months from Mar 26",
    (
        RuleField("amount", "Amount", FieldKind.AMOUNT),
        RuleField("months", "every so many months", FieldKind.COUNT),
        RuleField("since", "from", FieldKind.MONTH),
    ),
    _fit,
)
