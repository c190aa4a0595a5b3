"""A starting value growing by a rate: per month, per year in steps, or per year smoothly by month."""

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

import numpy as np

from widefork.core.axes import Month, Timeline
from widefork.core.errors import InvalidValue
from widefork.core.rules.rule import FieldKind, ReadAmount, Rule, RuleField, RuleKind, Values, mapping, number, plain

SLOWEST, FASTEST = -0.999999, 1e6
"""Between what a rate is found from values; beyond, a rate says nothing any more."""


class Pace(StrEnum):
    """When growth happens."""

    MONTHLY = "each month"
    YEARLY_STEP = "once a year"
    YEARLY_SMOOTH = "a year, smoothly"


@dataclass(frozen=True)
class Growth:
    """A base value growing from a month on.

    Parameters
    ----------
    base : float. The value up to the month before ``since``.
    rate : float. 0.03 = 3 % per month or per year, as ``pace`` says.
    since : Month. The first month that has grown (monthly and stepping: by the whole rate; smooth: by a twelfth
        power of it).
    """

    base: float
    rate: float
    pace: Pace
    since: Month

    def values(self, timeline: Timeline) -> Values:
        """Return base × (1 + rate) to the power of the periods grown; smooth is (1 + rate)^(months / 12)."""
        months = np.array([month.ordinal for month in timeline.months], dtype=float)
        grown = np.maximum(0.0, months - self.since.ordinal + 1)
        if self.pace is Pace.YEARLY_STEP:
            grown = np.ceil(grown / 12)
        elif self.pace is Pace.YEARLY_SMOOTH:
            grown = grown / 12
        return np.asarray(self.base * (1 + self.rate) ** grown, dtype=float)

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``46.00 growing 3 % once a year from Jan 27``."""
        return (
            f"{show(self.base)} growing {plain(round(self.rate * 100, 6))} % {self.pace.value} from {self.since.label}"
        )

    def document(self) -> Any:
        """Return base, rate, pace and first month."""
        return {
            "base": plain(self.base),
            "rate": self.rate,
            "pace": self.pace.value,
            "since": str(self.since),
        }


def _read(document: Any) -> Rule:
    given = mapping(document, "base, rate, pace and since")
    rate = number(given.get("rate"), "rate")
    if rate <= -1:
        raise InvalidValue("A growth rate is above −100 %; write 0.03 for 3 %.")
    pace = str(given.get("pace", Pace.YEARLY_STEP.value))
    if pace not in _SAID:
        raise InvalidValue(f"The pace is one of: {', '.join(choice.value for choice in Pace)}; got {pace}.")
    return Growth(number(given.get("base"), "base"), rate, _SAID[pace], Month.parse(str(given.get("since"))))


def held_first(rule: Rule, first: Month) -> Rule:
    """Return a rule as it is meant where it begins in ``first``: growth from that very month holds its base there.

    No month before it could hold the base, so it grows one pace later.
    """
    if not isinstance(rule, Growth) or rule.since != first:
        return rule
    return replace(rule, since=first.plus(12 if rule.pace is Pace.YEARLY_STEP else 1))


_EARLIER = "by the year, month by month"
"""How files and databases said the smooth pace before."""
_SAID = {
    **{pace.value: pace for pace in Pace},
    "a year smoothly": Pace.YEARLY_SMOOTH,
    _EARLIER: Pace.YEARLY_SMOOTH,
    "a year": Pace.YEARLY_STEP,
    "a month": Pace.MONTHLY,
}
"""Longer phrases stand before those they begin with."""
_FORM = re.compile(
    rf"(?P<base>.+) (?P<way>growing|rising|falling) (?P<rate>-?[\d.]+) ?% (?P<pace>{'|'.join(_SAID)})"
    r" from (?P<since>[A-Z][a-z]{2} \d{2,4})"
)


def _from_words(phrase: str, read: ReadAmount) -> Any | None:
    """Also reads ``46.00 rising 3 % a year from Jan 2027``, which steps once a year, and ``falling``."""
    found = _FORM.fullmatch(phrase)
    if found is None:
        return None
    rate = round(float(found["rate"]) / 100, 8) * (-1 if found["way"] == "falling" else 1)
    pace, since = _SAID[found["pace"]].value, str(Month.parse(found["since"]))
    return {"base": read(found["base"]), "rate": rate, "pace": pace, "since": since}


def _fit(timeline: Timeline, values: Values) -> Any:
    """From the first plan month on, the smooth yearly rate that ends where the values end."""
    first = min(timeline.actual_count, timeline.month_count - 1)
    base, end = float(values[first]), float(values[-1])
    months = timeline.month_count - 1 - first
    rate = (end / base) ** (12 / months) - 1 if months and base and end / base > 0 else 0.0
    rate = min(max(rate, SLOWEST), FASTEST)
    since = timeline.months[first].plus(1)
    return {"base": plain(base), "rate": round(rate, 6), "pace": Pace.YEARLY_SMOOTH.value, "since": str(since)}


GROWTH = RuleKind(
    "growth",
    "Growth",
    _read,
    Growth,
    _from_words,
    "46.00 growing 3 % once a year from Jan 27",
    (
        RuleField("base", "Starting at", FieldKind.AMOUNT),
        RuleField("rate", "growing", FieldKind.RATE),
        RuleField("pace", "", FieldKind.CHOICE, tuple(pace.value for pace in Pace)),
        RuleField("since", "from", FieldKind.MONTH),
    ),
    _fit,
)
