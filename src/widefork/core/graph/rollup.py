"""Months to quarters and years, members to the whole: as each line says."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Month, Period
from widefork.core.graph.calculate import Results
from widefork.core.lines import Line, MemberKey, OverMembers, OverTime

Values = NDArray[np.float64]


ALIKE = 1e-12
"""Parts that differ by no more than this share of the largest are the same."""


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
    and then divides, so a year's margin is the year's profit over the year's revenue; NaN where that is 0. Where a
    change acts on a ratio's own line, the plan months count with what the line says, weighed by the denominator.
    NaN where parts that differ have no total, and in a line's blank months, see ``Rollup``.

    Raises
    ------
    UnknownName: no such line or member. InvalidValue: a period outside the timeline.
    """
    line = results.plan.model.line(name)
    if line.rollup.blank_months:
        timeline = results.plan.model.timeline
        known = np.array([timeline.index(period.last) >= line.rollup.blank_months for period in periods])
        return np.where(known[:, None], _rolled(results, line, periods, members), np.nan)
    return _rolled(results, line, periods, members)


def _rolled(results: Results, line: Line, periods: Sequence[Period], members: MemberKey) -> Values:
    firsts = [period.first for period in periods]
    if firsts and [period.last for period in periods] == firsts:
        return _months(results, line, firsts, members)
    months: Values | None = None
    rolled = []
    for period in periods:
        if _is_ratio(line, members, len(period) > 1):
            rolled.append(_ratio(results, line, [period], members)[0])
        else:
            months = _over_members(results, line, members) if months is None else months
            rolled.append(_over_time(results, line, months, period, members))
    return np.stack(rolled)


def _is_ratio(line: Line, members: MemberKey, over_time: bool) -> bool:
    over_members = not members and bool(line.dimensions)
    by_members = over_members and line.rollup.over_members is OverMembers.RATIO
    return by_members or (over_time and line.rollup.over_time is OverTime.RATIO)


def _months(results: Results, line: Line, months: list[Month], members: MemberKey) -> Values:
    """Single months need no rolling up over time, and so all of them are read at once."""
    if _is_ratio(line, members, over_time=False):
        return _ratio(results, line, [Period("", "", month, month) for month in months], members)
    timeline = results.plan.model.timeline
    first, last = timeline.index(months[0]), timeline.index(months[-1])
    is_run = list(timeline.months[first : last + 1]) == months  # almost always: the visible months in order
    places = slice(first, last + 1) if is_run else [timeline.index(month) for month in months]
    return np.array(np.broadcast_to(_over_members(results, line, members)[places], (len(months), results.batch)))


def _ratio(results: Results, line: Line, periods: Sequence[Period], members: MemberKey) -> Values:
    """Numerator over denominator, shape (periods, batch); as the line says where a change acts on it."""
    above, below = (
        roll_up(results, part, periods, _matching(results, part, line, members))
        for part in (line.rollup.numerator, line.rollup.denominator)
    )
    ratio = _divided(above, below)
    adjusted = results.adjusted(line.name)
    if not adjusted.any():
        return ratio
    said = np.stack([_as_said(results, line, period, members) for period in periods])
    return np.where(adjusted, said, ratio)


def _as_said(results: Results, line: Line, period: Period, members: MemberKey) -> Values:
    """A ratio over one period, shape (batch,): over actual months numerator over denominator, over plan months what
    the line says, weighed by the denominator."""
    timeline = results.plan.model.timeline
    begin, end = timeline.index(period.first), timeline.index(period.last) + 1
    edge = min(max(timeline.actual_count, begin), end)
    weights = _weights(results, line, members)
    values = _values(results, line, members)
    cells = tuple(range(values.ndim - 2))
    above = (values * weights)[..., edge:end, :].sum(axis=(*cells, -2))
    below = weights[..., begin:end, :].sum(axis=(*cells, -2))
    part = line.rollup.numerator
    known = _over_members(results, results.plan.model.line(part), _matching(results, part, line, members))
    return _divided(above + known[begin:edge].sum(axis=0), below)


def _over_time(results: Results, line: Line, values: Values, period: Period, members: MemberKey) -> Values:
    timeline = results.plan.model.timeline
    span = slice(timeline.index(period.first), timeline.index(period.last) + 1)
    months = values[span]
    match line.rollup.over_time:
        case OverTime.SUM:
            rolled = months.sum(axis=0)
        case OverTime.END:
            rolled = months[-1]
        case OverTime.START:
            rolled = months[0]
        case OverTime.NONE:
            rolled = _alike(months)
        case OverTime.WEIGHTED:
            own = _weights(results, line, members)
            rolled = weighed_mean(months, own.sum(axis=tuple(range(own.ndim - 2)))[span])
        case _:
            rolled = months.mean(axis=0)
    return np.asarray(rolled, dtype=float)


def _over_members(results: Results, line: Line, members: MemberKey) -> Values:
    """Values of shape (months, batch)."""
    values = _values(results, line, members)
    axes = tuple(range(values.ndim - 2))
    if not axes:
        return values
    match line.rollup.over_members:
        case OverMembers.SUM:
            return np.asarray(values.sum(axis=axes))
        case OverMembers.MEAN:
            return np.asarray(values.sum(axis=axes) / max(1, len(results.plan.model.keys_of(line))))
    there = np.ones(values.shape[:-2], dtype=bool)
    for places in results.plan.model.absent_members(line):
        there[places] = False
    if line.rollup.over_members is OverMembers.NONE:
        return _alike(values[there])
    return weighed_mean(values[there], _weights(results, line, members)[there])


def _values(results: Results, line: Line, members: MemberKey) -> Values:
    """Values of shape (months, batch) for one member, else (own members..., months, batch)."""
    values = results.values(line.name)
    if not members:
        return values
    dimensions = results.plan.model.dimensions_of(line)
    return np.asarray(values[tuple(d.index(m) for d, m in zip(dimensions, members, strict=True))])


def _weights(results: Results, line: Line, members: MemberKey) -> Values:
    """What weighs a line's values, in their shape: its denominator, summed over dimensions the line does not have."""
    model = results.plan.model
    weight = model.line(line.rollup.denominator)
    values = results.values(weight.name)
    foreign = [place for place, name in enumerate(weight.dimensions) if name not in line.dimensions]
    kept = [name for name in weight.dimensions if name in line.dimensions]
    values = values.sum(axis=tuple(foreign)) if foreign else values
    order = sorted(range(len(kept)), key=lambda place: line.dimensions.index(kept[place]))
    values = np.transpose(values, [*order, len(kept), len(kept) + 1])
    shape = [len(d) if d.name in kept else 1 for d in model.dimensions_of(line)]
    values = np.broadcast_to(
        values.reshape(*shape, *values.shape[-2:]), (*(len(d) for d in model.dimensions_of(line)), *values.shape[-2:])
    )
    if not members:
        return values
    return np.asarray(values[tuple(d.index(m) for d, m in zip(model.dimensions_of(line), members, strict=True))])


def weighed_cells(
    results: Results, line: Line, period: Period, members: MemberKey, entry: int
) -> tuple[Values, Values]:
    """Return what a line says in every cell of a period and what weighs it, in one entry, both of shape (cells,)."""
    timeline = results.plan.model.timeline
    span = slice(timeline.index(period.first), timeline.index(period.last) + 1)
    values, weights = _values(results, line, members), _weights(results, line, members)
    return values[..., span, entry].reshape(-1), weights[..., span, entry].reshape(-1)


def weighed_mean(values: Values, weights: Values) -> Values:
    """Return the mean of parts along the first axis by their weights; without any weight what all of them say."""
    counted = np.where(weights == 0, 0.0, values * weights)
    return _divided(counted.sum(axis=0), weights.sum(axis=0), _alike(values))


def _divided(above: Values, below: Values, otherwise: Values | float = np.nan) -> Values:
    return np.asarray(np.where(below == 0, otherwise, above / np.where(below == 0, np.nan, below)))


def _alike(values: Values) -> Values:
    """The value all parts have, along the first axis; NaN where they differ."""
    low, high = values.min(axis=0), values.max(axis=0)
    is_same = high - low <= ALIKE * np.maximum(np.abs(low), np.abs(high))
    return np.asarray(np.where(is_same, values[0], np.nan))


def _matching(results: Results, part: str, line: Line, members: MemberKey) -> MemberKey:
    """The members of ``line`` that the numerator or denominator is spread over too; () when it has others."""
    given = dict(zip(line.dimensions, members, strict=False))
    own = results.plan.model.line(part).dimensions
    return tuple(given[name] for name in own) if own and all(name in given for name in own) else ()
