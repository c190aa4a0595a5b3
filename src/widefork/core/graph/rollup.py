"""Months to quarters and years, members to the whole: as each line says."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Month, Period
from widefork.core.graph.calculate import Results
from widefork.core.lines import Line, MemberKey, OverMembers, OverTime

Values = NDArray[np.float64]


def roll_up(results: Results, name: str, periods: Sequence[Period], members: MemberKey = ()) -> Values:
    """Return a line's value in each period.

    Parameters
    ----------
    results : values of an evaluation.
    name : the line. periods : the columns.
    members : one member per dimension of the line; () rolls the members up too, as the line says.

    Returns
    -------
    float array, shape (periods, batch), in the line's unit. A ratio rolls up its numerator and denominator each
    and then divides, so a year's margin is the year's profit over the year's revenue; NaN where that is 0.

    Raises
    ------
    UnknownName: no such line or member. InvalidValue: a period outside the timeline.
    """
    line = results.plan.model.line(name)
    by_members = not members and bool(line.dimensions) and line.rollup.over_members is OverMembers.RATIO
    firsts = [period.first for period in periods]
    if firsts and [period.last for period in periods] == firsts:
        return _months(results, line, firsts, members, by_members)
    months: Values | None = None
    rolled = []
    for period in periods:
        if by_members or (len(period) > 1 and line.rollup.over_time is OverTime.RATIO):
            rolled.append(_ratio(results, line, period, members))
        else:
            months = _over_members(results, line, members) if months is None else months
            rolled.append(_over_time(results, line, months, period))
    return np.stack(rolled)


def _months(results: Results, line: Line, months: list[Month], members: MemberKey, by_members: bool) -> Values:
    """Single months need no rolling up over time, and so all of them are read at once."""
    if by_members:
        above, below = (
            roll_up(
                results, part, [Period("", "", month, month) for month in months], _matching(results, part, line, ())
            )
            for part in (line.rollup.numerator, line.rollup.denominator)
        )
        return np.asarray(above / np.where(below == 0, np.nan, below))
    timeline = results.plan.model.timeline
    first, last = timeline.index(months[0]), timeline.index(months[-1])
    is_run = list(timeline.months[first : last + 1]) == months  # almost always: the visible months in order
    places = slice(first, last + 1) if is_run else [timeline.index(month) for month in months]
    return np.array(np.broadcast_to(_over_members(results, line, members)[places], (len(months), results.batch)))


def _ratio(results: Results, line: Line, period: Period, members: MemberKey) -> Values:
    above, below = (
        roll_up(results, part, [period], _matching(results, part, line, members))[0]
        for part in (line.rollup.numerator, line.rollup.denominator)
    )
    return np.asarray(above / np.where(below == 0, np.nan, below))


def _over_time(results: Results, line: Line, values: Values, period: Period) -> Values:
    timeline = results.plan.model.timeline
    months = values[timeline.index(period.first) : timeline.index(period.last) + 1]
    match line.rollup.over_time:
        case OverTime.SUM:
            rolled = months.sum(axis=0)
        case OverTime.END:
            rolled = months[-1]
        case OverTime.START:
            rolled = months[0]
        case _:
            rolled = months.mean(axis=0)
    return np.asarray(rolled, dtype=float)


def _over_members(results: Results, line: Line, members: MemberKey) -> Values:
    """Values of shape (months, batch)."""
    values = results.values(line.name)
    if members:
        dimensions = results.plan.model.dimensions_of(line)
        return np.asarray(values[tuple(d.index(m) for d, m in zip(dimensions, members, strict=True))])
    axes = tuple(range(values.ndim - 2))
    if line.rollup.over_members is OverMembers.SUM:
        return np.asarray(values.sum(axis=axes))
    return np.asarray(values.sum(axis=axes) / max(1, len(results.plan.model.keys_of(line))))


def _matching(results: Results, part: str, line: Line, members: MemberKey) -> MemberKey:
    """The members of ``line`` that the numerator or denominator is spread over too; () when it has others."""
    given = dict(zip(line.dimensions, members, strict=False))
    own = results.plan.model.line(part).dimensions
    return tuple(given[name] for name in own) if own and all(name in given for name in own) else ()
