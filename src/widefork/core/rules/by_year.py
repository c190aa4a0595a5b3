"""One monthly value per fiscal year."""

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
    plain,
    years_in_words,
)


@dataclass(frozen=True)
class ByYear:
    """Values by fiscal year; a year not named keeps the latest earlier one (0 before the first)."""

    years: tuple[tuple[int, float], ...]

    def values(self, timeline: Timeline) -> Values:
        """Return each month's value of its fiscal year."""
        return np.array(
            [
                next(
                    (value for year, value in reversed(self.years) if year <= timeline.fiscal_year(month)),
                    0.0,
                )
                for month in timeline.months
            ]
        )

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``by year: FY26 24.90, FY27 25.90``."""
        return "by year: " + ", ".join(f"FY{year % 100:02d} {show(value)}" for year, value in self.years)

    def document(self) -> Any:
        """Return values by year."""
        return {year: plain(value) for year, value in self.years}


def _read(document: Any) -> Rule:
    pairs = mapping(document, "values by fiscal year, like {2026: 24.9}")
    if not all(str(year).isdecimal() for year in pairs):
        raise InvalidValue("Fiscal years are written with four digits, like 2026.")
    return ByYear(tuple(sorted((int(year), number(value, f"year {year}")) for year, value in pairs.items())))


def _from_words(phrase: str, read: ReadAmount) -> Any | None:
    if not phrase.startswith("by year: "):
        return None
    return years_in_words(phrase.removeprefix("by year: "), read)


def _fit(timeline: Timeline, values: Values) -> Any:
    means = means_by((timeline.fiscal_year(month) for month in timeline.months), values)
    return {year: plain(value) for year, value in means.items()}


BY_YEAR = RuleKind(
    "by_year",
    "By year",
    _read,
    ByYear,
    _from_words,
    "by year: FY26 24.90, FY27 25.90",
    (RuleField("", "Fiscal year", FieldKind.BY_PERIOD),),
    _fit,
)
