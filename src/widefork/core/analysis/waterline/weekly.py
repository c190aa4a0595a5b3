"""The next weeks day by day: a month can end well and fail in its middle.

Each month's amount is laid on its days by its day rule; weeks are cut at month ends, so that the weeks of a month add
up to it exactly. Working days are Monday to Friday; no holidays are known.
"""

from calendar import monthrange, weekday
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.waterline.kinds import KINDS, lines_of
from widefork.core.axes import Month
from widefork.core.graph.calculate import Results
from widefork.core.liquidity import DayRule

Values = NDArray[np.float64]
WEEKS = 13
_FRIDAY = 4


@dataclass(frozen=True)
class Week:
    """A week, or the part of one that lies in a month; days from 1."""

    month: Month
    first: int
    last: int
    number: int

    @property
    def label(self) -> str:
        """Its days, as “27–31 Jul”."""
        days = f"{self.first}–{self.last}" if self.last > self.first else str(self.first)
        return f"{days} {self.month.label[:3]}"


@dataclass(frozen=True)
class Weekly:
    """The weeks of one change list.

    Parameters
    ----------
    flows : by kind or line, an amount for each week. cash : at each week's end. lowest : within it, shape (weeks,).
    lowest_day : the day of the month each week's lowest is on. level : the lowest allowed, of each week.
    days : cash after overdraft at the end of every day covered, with (month, day) of each.
    """

    weeks: tuple[Week, ...]
    flows: dict[str, Values]
    opening: float
    cash: Values
    lowest: Values
    lowest_day: tuple[int, ...]
    level: Values
    days: Values
    dates: tuple[tuple[Month, int], ...]


def weeks_from(first: Month, end: Month, count: int = WEEKS) -> tuple[Week, ...]:
    """Return the weeks from a month's first day, Monday to Sunday, cut at month ends.

    Parameters
    ----------
    end : the last month there is. count : of weeks; parts of one week count once.
    """
    found: list[Week] = []
    month, day, number = first, 1, 1
    while number <= count and month <= end:
        length = monthrange(month.year, month.month)[1]
        last = min(length, day + 6 - weekday(month.year, month.month, day))
        found.append(Week(month, day, last, number))
        if weekday(month.year, month.month, last) == 6:
            number += 1
        month, day = (month.plus(1), 1) if last == length else (month, last + 1)
    return tuple(found)


def day_shares(month: Month, rule: DayRule) -> Values:
    """Return which share of a month's amount moves on each of its days, shape (days,); they add up to 1."""
    length = monthrange(month.year, month.month)[1]
    shares = np.zeros(length)
    if not rule.spread:
        shares[min(rule.day or length, length) - 1] = 1.0
        return shares
    working = working_days(month)
    shares[[day - 1 for day in working]] = 1.0 / len(working)
    return shares


def working_days(month: Month) -> list[int]:
    """Return a month's days from Monday to Friday, from 1."""
    days = range(1, monthrange(month.year, month.month)[1] + 1)
    return [day for day in days if weekday(month.year, month.month, day) <= _FRIDAY]


def arrival_day(month: Month, after: int) -> int:
    """Return the day of a month that is its working day number ``after``, or its last where it has fewer."""
    working = working_days(month)
    return working[min(after, len(working)) - 1]


def read_weeks(results: Results, batch: int, count: int = WEEKS) -> Weekly | None:
    """Return the weeks from the first plan month on; None where none is left or cash cannot be computed."""
    model = results.plan.model
    timeline = model.timeline
    if timeline.first_plan > timeline.end:
        return None
    weeks = weeks_from(timeline.first_plan, timeline.end, count)
    months = tuple(dict.fromkeys(week.month for week in weeks))
    rules = model.liquidity.days
    by_day: dict[str, dict[Month, Values]] = {}
    total = {month: np.zeros(monthrange(month.year, month.month)[1]) for month in months}
    for kind in KINDS:
        usual = rules.get(kind.name, kind.days)
        lines = lines_of(kind, model)
        parts = [(line.name, rules.get(line.name, usual)) for line in lines] or [(kind.name, usual)]
        for name, rule in parts:
            amounts = _months(results, name, batch)
            early = _arriving(results, name, batch, amounts)
            laid = {
                month: (amounts[place] - early[place]) * day_shares(month, rule)
                + early[place] * day_shares(month, DayRule(arrival_day(month, model.liquidity.under_way_days)))
                for month in months
                for place in (timeline.index(month),)
            }
            by_day[name] = laid
            for month in months:
                total[month] += kind.sign * laid[month]
        if lines:
            names = [line.name for line in lines]
            by_day[kind.name] = {m: np.sum([by_day[name][m] for name in names], axis=0) for m in months}
    place = timeline.index(timeline.first_plan)
    cash = results.series("cash_after_overdraft", (), batch)
    opening = float(cash[place - 1]) if place else model.line("cash_after_overdraft").opening
    dates = tuple((month, day + 1) for month in months for day in range(len(total[month])))
    course = opening + np.cumsum(np.concatenate([total[month] for month in months]))
    if not np.isfinite(course).all():
        return None
    level = results.series("waterline", (), batch)
    starts = {month: sum(len(total[m]) for m in months[:n]) for n, month in enumerate(months)}
    spans = [slice(starts[w.month] + w.first - 1, starts[w.month] + w.last) for w in weeks]
    covered = spans[-1].stop
    lows = [int(course[span].argmin()) for span in spans]
    return Weekly(
        weeks,
        {
            name: np.array([laid[week.month][week.first - 1 : week.last].sum() for week in weeks])
            for name, laid in by_day.items()
        },
        opening,
        np.array([course[span.stop - 1] for span in spans]),
        np.array([course[span].min() for span in spans]),
        tuple(week.first + low for week, low in zip(weeks, lows, strict=True)),
        np.array([level[timeline.index(week.month)] for week in weeks]),
        course[:covered],
        dates[:covered],
    )


def _arriving(results: Results, name: str, batch: int, amounts: Values) -> Values:
    """What of a receipt was under way when its month began: it arrives on its day, whatever the rest does."""
    model = results.plan.model
    source = model.line(name).source
    owner = source.schedule if source is not None and source.part == "collected" else ""
    if owner not in model.liquidity.under_way:
        return np.zeros_like(amounts)
    balance = f"{owner}_balance"
    before = np.concatenate([[model.line(balance).opening], _months(results, balance, batch)[:-1]])
    return np.asarray(np.minimum(np.maximum(before, 0.0), np.maximum(amounts, 0.0)))


def _months(results: Results, name: str, batch: int) -> Values:
    values = results.values(name)[..., batch]
    return np.asarray(values.sum(axis=tuple(range(values.ndim - 1))))
