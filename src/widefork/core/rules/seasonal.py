"""Yearly totals spread over the calendar months by a shape, adding up exactly."""

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
class Seasonal:
    """A total per fiscal year and twelve weights, January first.

    A year not named keeps the latest earlier total (0 before the first). The weights need not add to anything:
    a month gets its weight's share of the year's twelve.
    """

    totals: tuple[tuple[int, float], ...]
    shape: tuple[float, ...]

    def values(self, timeline: Timeline) -> Values:
        """Return total × weight / sum of weights, so that twelve months add up to the total."""
        weights = np.array(self.shape) / sum(self.shape)
        return np.array(
            [
                next((t for year, t in reversed(self.totals) if year <= timeline.fiscal_year(month)), 0.0)
                * weights[month.month - 1]
                for month in timeline.months
            ]
        )

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``season 6/6/8/9/10/12/12/11/9/7/5/5 a year: FY26 15,000, FY27 16,200``, January first."""
        shape = "/".join(f"{plain(weight)}" for weight in self.shape)
        totals = ", ".join(f"FY{year % 100:02d} {show(total)}" for year, total in self.totals)
        return f"season {shape} a year: {totals}"

    def document(self) -> Any:
        """Return totals and shape."""
        return {
            "totals": {year: plain(total) for year, total in self.totals},
            "shape": [plain(weight) for weight in self.shape],
        }


def _read(document: Any) -> Rule:
    given = mapping(document, "totals by year and a shape of 12 weights")
    totals = mapping(given.get("totals"), "totals by year, like {2026: 12000}")
    shape = given.get("shape")
    if not isinstance(shape, list) or len(shape) != 12:
        raise InvalidValue("A seasonal shape has 12 weights, January first.")
    weights = tuple(number(weight, "a weight") for weight in shape)
    if min(weights) < 0 or sum(weights) <= 0:
        raise InvalidValue("The weights of a seasonal shape are 0 or more, and at least one is above 0.")
    return Seasonal(
        tuple(sorted((int(year), number(total, f"year {year}")) for year, total in totals.items())), weights
    )


def _from_words(phrase: str, read: ReadAmount) -> Any | None:
    shape, found, totals = phrase.removeprefix("season ").partition(" a year: ")
    years = years_in_words(totals, read) if found and phrase.startswith("season ") else None
    try:
        return None if years is None else {"totals": years, "shape": [float(weight) for weight in shape.split("/")]}
    except ValueError:
        raise InvalidValue(f"“{shape}” are no twelve weights; write them like 6/6/8/9/10/12/12/11/9/7/5/5.") from None


def _fit(timeline: Timeline, values: Values) -> Any:
    """Yearly totals, and each calendar month's usual share of its year."""
    years = means_by((timeline.fiscal_year(month) for month in timeline.months), values)
    level = np.array([years[timeline.fiscal_year(month)] for month in timeline.months])
    share = np.divide(values, level, out=np.ones(timeline.month_count), where=level != 0)
    usual = means_by((month.month for month in timeline.months), np.maximum(share, 0.0))
    shape = [round(usual.get(month, 1.0), 4) for month in range(1, 13)]
    if not sum(shape):
        shape = [1.0] * 12
    return {"totals": {year: plain(12 * mean) for year, mean in years.items()}, "shape": [plain(w) for w in shape]}


SEASONAL = RuleKind(
    "seasonal",
    "Season",
    _read,
    Seasonal,
    _from_words,
    "season 6/6/8/9/10/12/12/11/9/7/5/5 a year: FY26 15,000",
    (
        RuleField("totals", "Total of", FieldKind.BY_PERIOD),
        RuleField("shape", "Weights", FieldKind.WEIGHTS),
    ),
    _fit,
)
