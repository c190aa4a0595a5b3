"""Periods as files spell them: days, weeks, months, quarters, half-years and years."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from functools import lru_cache
from itertools import pairwise

from widefork.core.axes import MONTH_NAMES, Month

_OTHER_NAMES = {
    "mär": 3, "mrz": 3, "mai": 5, "okt": 10, "dez": 12, "fév": 2, "fev": 2, "avr": 4, "juin": 6, "juil": 7, "aoû": 8,
    "aou": 8, "déc": 12, "ene": 1, "abr": 4, "ago": 8, "dic": 12, "jän": 1,
}  # fmt: skip
"""Beginnings of German, French and Spanish names that English ones do not cover; common practice."""
_MONTH = r"(?P<name>[^\W\d_]{3,10})\.?"
_YEAR = r"(?P<year>\d{4}|\d{2})"
_TIME = r"(?:[T ]\d{1,2}:\d{2}(?::\d{2}(?:\.\d+)?)?(?:Z|[+-]\d{2}:?\d{2})?)?"
DAY, WEEK = "day", "week"
_FORMS = tuple(
    re.compile(form, re.IGNORECASE)
    for form in (
        rf"(?P<year>\d{{4}})[-/.](?P<month>\d{{1,2}})[-/.](?P<day>\d{{1,2}}){_TIME}",
        rf"(?P<one>\d{{1,2}})[-/.](?P<two>\d{{1,2}})[-/.]{_YEAR}{_TIME}",
        rf"(?P<day>\d{{1,2}})[-/. ]+{_MONTH}[-/., ]+{_YEAR}",
        rf"{_MONTH}[-/. ]+(?P<day>\d{{1,2}}),? +(?P<year>\d{{4}})",
        r"(?P<year>\d{4})-?W(?P<week>\d{1,2})",
        r"(?P<year>\d{4})[-/. ]?M?(?P<month>\d{1,2})",
        r"(?P<month>\d{1,2})[-/.](?P<year>\d{4})",
        rf"{_MONTH}[-/., ']+{_YEAR}",
        rf"(?P<year>\d{{4}})[-/. ]+{_MONTH}",
        r"(?P<year>\d{4})[-/ ]?(?P<part>[QH])(?P<number>[1-4])",
        r"(?P<part>[QH])(?P<number>[1-4])[-/ ']*(?P<year>\d{4}|\d{2})",
        r"(?P<number>[1-4])(?P<part>[QH])[-/ ']*(?P<year>\d{4}|\d{2})",
        r"(?:FY ?)?(?P<year>\d{4})",
    )
)


@dataclass(frozen=True)
class Spelled:
    """A period as it was read.

    Parameters
    ----------
    kind : ``day``, ``week``, ``month``, ``quarter``, ``half-year`` or ``year``. month : its first.
    day : its first, for days and weeks. other : how it reads with day and month the other way round; None where only
        one way is possible. is_month_first : of a date in numbers whose year comes last.
    """

    kind: str
    month: Month
    day: date | None = None
    other: "Spelled | None" = None
    is_month_first: bool | None = None


@lru_cache(maxsize=4096)
def read_period(text: str) -> Spelled | None:
    """Return the period a text spells; None where it spells none."""
    given = " ".join(text.split())
    for form in _FORMS:
        found = form.fullmatch(given)
        if found is not None:
            spelled = _spelled({key: value for key, value in found.groupdict().items() if value is not None})
            if spelled is not None:
                return spelled
    return None


def _spelled(parts: dict[str, str]) -> Spelled | None:
    year = int(parts["year"])
    year += (2000 if year < 70 else 1900) if len(parts["year"]) == 2 else 0
    if not 1700 <= year <= 2200:
        return None
    if "one" in parts:
        one, two = int(parts["one"]), int(parts["two"])
        ways = [_day(year, two, one), _day(year, one, two)]
        known = [replace(way, is_month_first=bool(place)) for place, way in enumerate(ways) if way is not None]
        if not known:
            return None
        if one == two:  # reads alike either way, and tells nothing of the others
            return replace(known[0], is_month_first=None)
        return replace(known[0], other=known[1]) if len(known) == 2 else known[0]
    if "week" in parts:
        try:
            first = date.fromisocalendar(year, int(parts["week"]), 1)
        except ValueError:
            return None
        return Spelled(WEEK, Month(first.year, first.month), first)
    if "part" in parts:
        number, per_year = int(parts["number"]), 4 if parts["part"].upper() == "Q" else 2
        if number > per_year:
            return None
        return Spelled("quarter" if per_year == 4 else "half-year", Month(year, (number - 1) * 12 // per_year + 1))
    month = int(parts["month"]) if "month" in parts else _named(parts["name"]) if "name" in parts else 0
    if "day" in parts:
        return _day(year, month, int(parts["day"]))
    if "month" in parts or "name" in parts:
        return Spelled("month", Month(year, month)) if 1 <= month <= 12 else None
    return Spelled("year", Month(year, 1))


def _day(year: int, month: int, day: int) -> Spelled | None:
    try:
        found = date(year, month, day)
    except ValueError:
        return None
    return Spelled(DAY, Month(year, month), found)


def _named(name: str) -> int:
    short = name.lower()
    for place, known in enumerate(MONTH_NAMES, 1):
        if short.startswith(known.lower()):
            return place
    return next((month for known, month in _OTHER_NAMES.items() if short.startswith(known)), 0)


def settled(read: Sequence[Spelled | None]) -> tuple[list[Spelled | None], str]:
    """Return periods of one column with day and month in one order, and what was made of them, if it was not clear.

    Where every date can be read both ways, the order is taken in which they fall on fewer days of the month, or lie
    more evenly apart; else day first.
    """
    known = [each for each in read if each is not None]
    if not any(each.other for each in known):
        return list(read), ""
    firm = [each for each in known if each.kind == DAY and each.other is None]
    told = [each.is_month_first for each in firm if each.is_month_first is not None]
    if told:  # those that can be read in one way only tell for all
        is_month_first, said = told.count(True) > told.count(False), ""
    else:
        ways = [known, [each.other or each for each in known]]
        uneven = [_uneven(way) for way in ways]
        is_month_first = uneven[1] < uneven[0]
        said = f"Dates were read with the {'month' if is_month_first else 'day'} first."
    return [(each.other or each) if each is not None and is_month_first else each for each in read], said


def _uneven(read: Sequence[Spelled]) -> tuple[int, int]:
    """How many different days of the month there are, and how many different steps: months are told by one day each."""
    days = sorted({each.day for each in read if each.day is not None})
    return len({day.day for day in days}), len({later - earlier for earlier, later in pairwise(days)})


def as_months(read: Sequence[Spelled | None]) -> tuple[list[Spelled | None], str]:
    """Return days that stand for whole months, quarters or years as such: where they lie as far apart.

    A column of the first or last days of months is monthly; the second value says so.
    """
    days = sorted({each.day for each in read if each is not None and each.kind == DAY and each.day is not None})
    if len(days) < 2:
        return list(read), ""
    steps = sorted((later - earlier).days for earlier, later in pairwise(days))
    middle = steps[len(steps) // 2]
    for kind, low, high in (("month", 26, 36), ("quarter", 85, 100), ("half-year", 175, 190), ("year", 360, 370)):
        if low <= middle <= high:
            return [_period_of(each, kind) for each in read], kind
    if middle == 7:
        return [Spelled(WEEK, each.month, each.day) if each and each.kind == DAY else each for each in read], WEEK
    return list(read), ""


def _period_of(each: Spelled | None, kind: str) -> Spelled | None:
    if each is None or each.day is None:
        return each
    months = {"month": 1, "quarter": 3, "half-year": 6, "year": 12}[kind]
    end = each.day + timedelta(days=1) if each.day.day >= 28 else each.day
    is_end = end.day == 1 and end != each.day
    month = Month(each.month.year, each.month.month)
    if kind == "month":
        return Spelled(kind, month)
    if is_end:  # the last day of a quarter or a year
        return Spelled(kind, month.plus(1 - months))
    return Spelled(kind, month)
