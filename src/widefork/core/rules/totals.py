"""What is only known as a total by quarter or year, spread over its months."""

import re
from calendar import monthrange
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from widefork.core.axes import Month, Timeline
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

EVENLY, BY_DAYS = "evenly", "by days"


@dataclass(frozen=True)
class Totals:
    """Totals by fiscal year or quarter, spread evenly, by days or by twelve weights, adding up exactly.

    Parameters
    ----------
    totals : (fiscal year, quarter or 0 for the year) to amount. Months in none of them are 0.
    by : ``evenly``, ``by days``, or twelve weights, January first.
    """

    totals: tuple[tuple[tuple[int, int], float], ...]
    by: str | tuple[float, ...] = EVENLY

    def values(self, timeline: Timeline) -> Values:
        """Return each month's share; a period the timeline cuts keeps the shares of the months that are left."""
        known = dict(self.totals)
        months: dict[tuple[int, int], list[Month]] = {}
        reach = range(-11, timeline.month_count + 11)
        for month in (timeline.start.plus(offset) for offset in reach):
            year, quarter = timeline.fiscal_quarter(month)
            months.setdefault((year, quarter if (year, quarter) in known else 0), []).append(month)
        shares = {month: share for key, run in months.items() for month, share in self._shares(key, run, known)}
        return np.array([shares[month] for month in timeline.months])

    def _shares(
        self, key: tuple[int, int], run: list[Month], known: dict[tuple[int, int], float]
    ) -> list[tuple[Month, float]]:
        total = known.get(key, 0.0)
        weights = [self._weight(month) for month in run]
        if not sum(weights):
            weights = [1.0] * len(run)
        shares = [total * weight / sum(weights) for weight in weights]
        shares[-1] = total - sum(shares[:-1])  # so that no rounding is lost on the way
        return list(zip(run, shares, strict=True))

    def _weight(self, month: Month) -> float:
        if self.by == EVENLY:
            return 1.0
        return float(monthrange(month.year, month.month)[1] if self.by == BY_DAYS else self.by[month.month - 1])

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``totals evenly: 12,000 in FY26, 3,000 in Q1 27``."""
        named = (f"Q{q} {y % 100:02d}" if q else f"FY{y % 100:02d}" for (y, q), _ in self.totals)
        amounts = (f"{show(total)} in {name}" for name, (_, total) in zip(named, self.totals, strict=True))
        by = self.by if isinstance(self.by, str) else "/".join(f"{plain(weight)}" for weight in self.by)
        return f"totals {by}: {', '.join(amounts)}"

    def document(self) -> Any:
        """Return totals by period, and how they are spread."""
        totals = {f"{y}Q{q}" if q else f"FY{y}": plain(total) for (y, q), total in self.totals}
        return {"of": totals, "spread": self.by if isinstance(self.by, str) else [plain(w) for w in self.by]}


def _read(document: Any) -> Rule:
    given = mapping(document, "totals and how they are spread")
    found: dict[tuple[int, int], float] = {}
    for key, value in mapping(given.get("of"), "totals by period, like {FY2026: 12000, 2027Q1: 3000}").items():
        named = re.fullmatch(r"(?:FY(\d{4})|(\d{4})Q([1-4]))", str(key))
        if named is None:
            raise InvalidValue(f"A period is written like FY2026 or 2027Q1; got {key!r}.")
        found[(int(named[1] or named[2]), int(named[3] or 0))] = number(value, f"period {key}")
    twice = [year for year, quarter in found if quarter and (year, 0) in found]
    if twice:
        raise InvalidValue(f"FY{twice[0]} is given as a year and as a quarter; give the one or the other.")
    return Totals(tuple(sorted(found.items())), _spread(given.get("spread", EVENLY)))


def _spread(by: Any) -> str | tuple[float, ...]:
    if by in (EVENLY, BY_DAYS):
        return str(by)
    if not isinstance(by, list) or len(by) != 12:
        raise InvalidValue(f"Totals are spread “{EVENLY}”, “{BY_DAYS}” or by 12 weights, January first; got {by!r}.")
    weights = tuple(number(weight, "a weight") for weight in by)
    if min(weights) < 0 or sum(weights) <= 0:
        raise InvalidValue("The weights are 0 or more, and at least one is above 0.")
    return weights


def _from_words(phrase: str, read: ReadAmount) -> Any | None:
    by, found, amounts = phrase.removeprefix("totals ").partition(": ")
    if not found or not phrase.startswith("totals "):
        return None
    form = r"(?:, |^)(?P<amount>[^a-zFQ]+?) in (?P<key>FY\d{2}|Q[1-4] \d{2})"
    pairs = pairs_in_words(amounts, form, read)
    if pairs is None:
        return None
    try:
        spread: Any = by if by in (EVENLY, BY_DAYS) else [float(weight) for weight in by.split("/")]
    except ValueError:
        raise InvalidValue(f"Totals are spread “{EVENLY}”, “{BY_DAYS}” or by 12 weights; got “{by}”.") from None
    return {"of": {_key(key): amount for key, amount in pairs}, "spread": spread}


def _key(words: str) -> str:
    return f"20{words[3:]}{words[:2]}" if words.startswith("Q") else f"FY20{words[2:]}"


def _fit(timeline: Timeline, values: Values) -> Any:
    """Twelve times the mean month of each fiscal year, so that a year the timeline cuts keeps its level."""
    means = means_by((timeline.fiscal_year(month) for month in timeline.months), values)
    return {"of": {f"FY{year}": plain(mean * 12) for year, mean in means.items()}, "spread": EVENLY}


TOTALS = RuleKind(
    "totals",
    "Totals, spread",
    _read,
    Totals,
    _from_words,
    "totals by days: 12,000 in FY26, 3,000 in Q1 27",
    (
        RuleField("of", "Total of", FieldKind.BY_PERIOD),
        RuleField("spread", "spread", FieldKind.CHOICE, (EVENLY, BY_DAYS)),
    ),
    _fit,
)
