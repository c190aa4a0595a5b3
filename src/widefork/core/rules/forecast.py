"""A forecast made from history: its amounts by month, and where they come from."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from widefork.core.axes import Month, Timeline
from widefork.core.errors import InvalidValue
from widefork.core.rules.rule import FieldKind, ReadAmount, RuleField, RuleKind, Values, mapping, number, plain


@dataclass(frozen=True)
class Forecast:
    """Amounts from a month on. Before it and after the last one, the season nearest to it is repeated.

    Parameters
    ----------
    start : first month forecast. amounts : one a month. name : the forecast it is, among those kept of its history.
    label : the method. count : the known periods of history it was made from. season : in months, 1 for none.
    """

    start: Month
    amounts: tuple[float, ...]
    name: str
    label: str
    count: int
    season: int = 1

    def values(self, timeline: Timeline) -> Values:
        """Return each month's own amount; outside the forecast the same month of the season beside it."""
        amounts, count = np.array(self.amounts), len(self.amounts)
        season = min(self.season, count)
        places = np.array([month.ordinal - self.start.ordinal for month in timeline.months])
        last = count - season
        after = last + (places - last) % season
        return np.asarray(amounts[np.where(places < 0, places % season, np.where(places < count, places, after))])

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``forecast “Usual” by Theta, 42 known, season 12, from Jul 26: 5; 6; 7``."""
        made = f"forecast “{self.name}” by {self.label}, {self.count} known, season {self.season}"
        return f"{made}, from {self.start.label}: {'; '.join(show(amount) for amount in self.amounts)}"

    def document(self) -> Any:
        """Return what it is of, and its amounts."""
        return {
            "name": self.name, "by": self.label, "known": self.count, "season": self.season, "start": str(self.start),
            "amounts": [plain(amount) for amount in self.amounts],
        }  # fmt: skip


def _read(document: Any) -> Forecast:
    given = mapping(document, "a forecast's name, start and amounts")
    amounts = given.get("amounts")
    if not isinstance(amounts, list) or not amounts:
        raise InvalidValue("A forecast needs a list of amounts.")
    values = tuple(number(amount, f"month {place + 1}") for place, amount in enumerate(amounts))
    season = int(number(given.get("season", 1), "the season"))
    if season < 1:
        raise InvalidValue(f"A season has at least 1 period; {season} was given.")
    name, label = str(given.get("name", "")), str(given.get("by", ""))
    return Forecast(
        Month.parse(str(given.get("start"))), values, name, label, int(number(given.get("known", 0), "known")), season
    )


_PHRASE = r"forecast “(.*)” by (.*), (\d+) known, season (\d+), from ([A-Z][a-z]{2} \d{2,4}): (.+)"


def _from_words(phrase: str, read: ReadAmount) -> Any | None:
    found = re.fullmatch(_PHRASE, phrase)
    if found is None:
        return None
    name, label, known, season, start, amounts = found.groups()
    return {
        "name": name, "by": label, "known": int(known), "season": int(season), "start": str(Month.parse(start)),
        "amounts": [read(amount) for amount in amounts.split(";")],
    }  # fmt: skip


def _fit(timeline: Timeline, values: Values) -> Any:
    amounts = [plain(float(value)) for value in values]
    return {
        "name": "By hand",
        "by": "by hand",
        "known": 0,
        "season": 1,
        "start": str(timeline.start),
        "amounts": amounts,
    }


FORECAST = RuleKind(
    "forecast",
    "Forecast",
    _read,
    Forecast,
    _from_words,
    "forecast “Usual” by Theta, 42 known, season 12, from Jul 26: 5; 6; 7",
    (
        RuleField("name", "Forecast", FieldKind.TEXT),
        RuleField("by", "By", FieldKind.TEXT),
        RuleField("known", "Known", FieldKind.COUNT),
        RuleField("season", "Season", FieldKind.COUNT),
        RuleField("start", "From", FieldKind.MONTH),
        RuleField("amounts", "Months", FieldKind.AMOUNTS),
    ),
    _fit,
    is_made=True,
)
