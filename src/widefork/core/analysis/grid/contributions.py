"""What each member of a dimension contributes to a caption, such as each region to EBITDA; and what nobody does.

A caption is a sum of lines, added and taken away. Those that carry the dimension, or one whose members belong to its
members, are told apart; the rest is allocated to nobody, and no key is invented for it.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Dimension, Grain, Period
from widefork.core.errors import InvalidValue
from widefork.core.graph.calculate import Results
from widefork.core.graph.model import Model
from widefork.core.graph.rollup import roll_up
from widefork.core.language.sums import terms_of
from widefork.core.lines import OverTime

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Share:
    """A member's part; ``member`` is empty for what is allocated to none. ``amounts`` has shape (batch,)."""

    member: str
    amounts: Values


def carriers(model: Model, name: str, dimension: str) -> Mapping[str, float]:
    """Return the lines that carry a dimension and add up into a line, with 1 where they add and -1 where they take.

    Parameters
    ----------
    model : with all its lines. name : the line, usually a caption.

    Raises
    ------
    UnknownName: no such line.
    """
    found: dict[str, float] = {}
    _collect(model, name, dimension, 1.0, found)
    return found


def contributions(
    results: Results, name: str, dimension: str, period: Period, is_mean: bool = False
) -> tuple[Share, ...]:
    """Return each member's part of a line over a period, and last what is allocated to none; together the whole.

    Parameters
    ----------
    results : of an evaluation with the line and its carriers. is_mean : the mean of the months in place of their sum.

    Raises
    ------
    InvalidValue: the sum of a line whose months do not add up.
    """
    model = results.plan.model
    if not is_mean and model.line(name).rollup.over_time is not OverTime.SUM:
        raise InvalidValue(f"{model.line(name).label} is not an amount by month, so its months do not add up.")
    target, timeline = model.dimension_by_name[dimension], model.timeline
    parts = {member: np.zeros(results.batch) for member in target}
    span = slice(timeline.index(period.first), timeline.index(period.last) + 1)
    share = 1 / len(period) if is_mean else 1.0
    for line, sign in carriers(model, name, dimension).items():
        dimensions = model.dimensions_of(model.line(line))
        axis = next(place for place, each in enumerate(dimensions) if _member_of(each, target))
        full = (*(len(each) for each in dimensions), timeline.month_count, results.batch)
        values = np.broadcast_to(results.values(line), full)[..., span, :]
        by_member = np.moveaxis(values, axis, 0)
        for place, own in enumerate(dimensions[axis]):
            member = _member_of(dimensions[axis], target)[own]
            if member in parts:
                parts[member] += sign * share * by_member[place].reshape(-1, results.batch).sum(axis=0)
    months = timeline.periods(Grain.MONTH, period.first, period.last)
    whole = roll_up(results, name, months).sum(axis=0) * share
    return (*(Share(member, amounts) for member, amounts in parts.items()), Share("", whole - sum(parts.values())))


def _member_of(dimension: Dimension, target: Dimension) -> Mapping[str, str]:
    """To which member of another dimension each of a dimension's belongs; empty where they do not."""
    if dimension.name == target.name:
        return {member: member for member in target}
    mapping = dimension.mapping(target.name)
    return {member: mapping.get(member, "") for member in dimension} if mapping else {}


def _collect(model: Model, name: str, dimension: str, sign: float, found: dict[str, float]) -> None:
    line, target = model.line(name), model.dimension_by_name[dimension]
    if any(_member_of(each, target) for each in model.dimensions_of(line)):
        found[name] = found.get(name, 0.0) + sign
        return
    terms = terms_of(line.formula or "", sign)
    if any(term.is_before for term in terms):
        return
    for term in terms:
        if term.name in model.line_by_name:
            _collect(model, term.name, dimension, term.sign, found)
