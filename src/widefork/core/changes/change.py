"""Changes: the one primitive. (line, members, months, operation, amount), applied to a line's values."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Dimension, Month, Timeline

Values = NDArray[np.float64]


class Operation(StrEnum):
    """What a change does to the months it covers."""

    SET = "set"
    ADD = "add"
    SCALE = "scale"
    STOP = "stop"


@dataclass(frozen=True)
class Change:
    """One change of a line.

    Parameters
    ----------
    line : str.
    operation : Operation.
    amount : float. In the line's unit for set and add; a factor for scale; unused for stop.
    members : tuple of (dimension, member). Empty for all; several members of one dimension are alternatives.
    first, last : Month or None. Inclusive; None is open. Actual months are never changed.
    note : str. Why.
    """

    line: str
    operation: Operation
    amount: float = 0.0
    members: tuple[tuple[str, str], ...] = ()
    first: Month | None = None
    last: Month | None = None
    note: str = ""


def plan_months(change: Change, timeline: Timeline) -> slice:
    """Return the months a change covers, without actual months."""
    span = timeline.span(change.first, change.last)
    return slice(max(span.start, timeline.actual_count), max(span.stop, timeline.actual_count))


def apply_change(values: Values, change: Change, timeline: Timeline, dimensions: tuple[Dimension, ...]) -> None:
    """Apply a change in place.

    Parameters
    ----------
    values : shape (members of each of ``dimensions``..., months, batch). Every dimension the change names must
        have its full length here.

    Raises
    ------
    UnknownName: a member the dimension does not have.
    """
    place = _place(change, timeline, dimensions)
    values[place] = adjusted(values[place], change)


def adjusted(values: Values, change: Change) -> Values:
    """Return values of any shape, all of them covered by the change, after it."""
    match change.operation:
        case Operation.ADD:
            return values + change.amount
        case Operation.SCALE:
            return values * change.amount
    return np.full_like(values, change.amount if change.operation is Operation.SET else 0.0)


def _place(change: Change, timeline: Timeline, dimensions: tuple[Dimension, ...]) -> Any:
    picked: list[NDArray[np.int64]] = []
    for dimension in dimensions:
        named = [dimension.index(member) for name, member in change.members if name == dimension.name]
        picked.append(np.array(named if named else range(len(dimension))))
    span = plan_months(change, timeline)
    return (*np.ix_(*picked, np.arange(span.start, span.stop)), slice(None))
