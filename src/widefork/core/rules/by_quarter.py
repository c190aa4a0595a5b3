"""One monthly value per quarter of the fiscal year."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from widefork.core.axes import Timeline
from widefork.core.errors import InvalidValue
from widefork.core.rules.rule import (
    FieldKind,
    ReadAmount,
    Rule,
    RuleField,
    RuleKind,
    Values,
    mapping,
    means_by,
    number,
    pairs_in_words,
    plain,
)


@dataclass(frozen=True)
class ByQuarter:
    """Values by (fiscal year, quarter); a quarter not named keeps the latest earlier one (0 before the first)."""

    quarters: tuple[tuple[tuple[int, int], float], ...]

    def values(self, timeline: Timeline) -> Values:
        """Return each month's value of its quarter."""
        return np.array([self._at(timeline.fiscal_quarter(month)) for month in timeline.months])

    def _at(self, quarter: tuple[int, int]) -> float:
        return next((value for named, value in reversed(self.quarters) if named <= quarter), 0.0)

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``by quarter: 24.90 in Q1 26, 25.90 in Q3 26``."""
        parts = (f"{show(value)} in Q{quarter} {year % 100:02d}" for (year, quarter), value in self.quarters)
        return "by quarter: " + ", ".join(parts)

    def document(self) -> Any:
        """Return values by quarter, like ``{2026Q1: 24.9}``."""
        return {f"{year}Q{quarter}": plain(value) for (year, quarter), value in self.quarters}


def _read(document: Any) -> Rule:
    pairs = mapping(document, "values by quarter of the fiscal year, like {2026Q1: 24.9}")
    found = []
    for key, value in pairs.items():
        named = re.fullmatch(r"(\d{4})Q([1-4])", str(key))
        if named is None:
            raise InvalidValue(f"A quarter is written like 2026Q1; got {key!r}.")
        found.append(((int(named[1]), int(named[2])), number(value, f"quarter {key}")))
    return ByQuarter(tuple(sorted(found)))


def _from_words(phrase: str, read: ReadAmount) -> Any | None:
    if not phrase.startswith("by quarter: "):
        return None
    form = r"(?:, |^)(?P<amount>[^a-z]+?) in (?P<key>Q[1-4] \d{2})"
    pairs = pairs_in_words(phrase.removeprefix("by quarter: "), form, read)
    return None if pairs is None else {f"20{key[3:]}{key[:2]}": amount for key, amount in pairs}


def _fit(timeline: Timeline, values: Values) -> Any:
    means = means_by((timeline.fiscal_quarter(month) for month in timeline.months), values)
    return {f"{year}Q{quarter}": plain(value) for (year, quarter), value in means.items()}


BY_QUARTER = RuleKind(
    "by_quarter",
    "By quarter",
    _read,
    ByQuarter,
    _from_words,
    "by quarter: 24.90 in Q1 26, 25.90 in Q3 26",
    (RuleField("", "Quarter", FieldKind.BY_PERIOD),),
    _fit,
)
