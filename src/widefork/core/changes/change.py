"""Changes: the one primitive. (line, members, months, operation, amount), applied to a line's values."""

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.errors import InvalidModel

Values = NDArray[np.float64]
MONTH_AXIS = -2


class Operation(StrEnum):
    """What a change does to the months it covers."""

    SET = "set"
    ADD = "add"
    SCALE = "scale"
    STOP = "stop"
    DELAY = "delay"
    DEFER = "defer"


@dataclass(frozen=True)
class Change:
    """One change of a line.

    Parameters
    ----------
    line : str.
    operation : Operation.
    amount : float. In the line's unit for set and add; a factor for scale; whole months for delay; the share put
        off (0 to 1) for defer; unused for stop.
    members : tuple of (dimension, member). Empty for all; several members of one dimension are alternatives.
    first, last : Month or None. Inclusive; None is open. Actual months are never changed.
    note : str. Why.
    catch_up_months : int. Months after ``last`` over which what was deferred is caught up evenly; defer only.
    strength : float, 0 to 1. How much of the change happens: halfway between without and with it at 0.5.
    name : str. Lets a case further down drop this change; empty for most.

    Raises
    ------
    InvalidModel: months of delay that are not whole or below 0, a share outside 0 to 1, a deferral without an end
        or without months to catch up in, a strength outside 0 to 1.
    """

    line: str
    operation: Operation
    amount: float = 0.0
    members: tuple[tuple[str, str], ...] = ()
    first: Month | None = None
    last: Month | None = None
    note: str = ""
    catch_up_months: int = 0
    strength: float = 1.0
    name: str = ""

    def __post_init__(self) -> None:
        place = f"changes/{self.line}"
        if self.operation is Operation.DELAY and (self.amount < 0 or self.amount != int(self.amount)):
            raise InvalidModel(f"A delay is a whole number of months from 0; {self.amount:g} was given.", place)
        if self.operation is Operation.DEFER:
            if not 0 <= self.amount <= 1:
                raise InvalidModel(f"The share put off lies between 0 and 1; {self.amount:g} was given.", place)
            if self.last is None or self.catch_up_months < 1:
                raise InvalidModel("What is put off needs a last month, and months to catch up in afterwards.", place)
        if not 0 <= self.strength <= 1:
            raise InvalidModel(f"A strength lies between 0 and 1; {self.strength:g} was given.", place)

    def with_amount(self, amount: float) -> "Change":
        """Return the same change with another amount."""
        return replace(self, amount=amount)


def plan_months(change: Change, timeline: Timeline) -> slice:
    """Return the months a change covers, without actual months."""
    span = timeline.span(change.first, change.last)
    return slice(max(span.start, timeline.actual_count), max(span.stop, timeline.actual_count))


def apply_change(
    values: Values,
    change: Change,
    timeline: Timeline,
    dimensions: tuple[Dimension, ...],
    is_flow: bool,
    amounts: Values | None = None,
) -> None:
    """Apply a change in place.

    Parameters
    ----------
    values : shape (members of each of ``dimensions``..., months, batch). Every dimension the change names must
        have its full length here.
    is_flow : whether months are amounts of their own, which a delay moves; a level is held longer instead.
    amounts : shape (batch,). An amount for each entry, in place of the change's own; not for a delay.

    Raises
    ------
    UnknownName: a member the dimension does not have.
    InvalidModel: a deferral of something that is not a flow.
    """
    simple = {Operation.SET: None, Operation.ADD: np.add, Operation.SCALE: np.multiply}
    if not change.members and change.strength == 1 and change.operation in simple:
        amount = change.amount if amounts is None else amounts
        months, operation = values[..., plan_months(change, timeline), :], simple[change.operation]
        months[...] = amount if operation is None else operation(months, amount)
        return
    place = _members(change, dimensions)
    values[place] = changed_months(values[place], change, timeline, is_flow, amounts)


def changed_months(
    values: Values, change: Change, timeline: Timeline, is_flow: bool, amounts: Values | None = None
) -> Values:
    """Return months after a change that covers all of their members, shape (..., months, batch).

    ``amounts``, shape (batch,), stands in place of the change's own amount, but for a delay.
    """
    span = plan_months(change, timeline)
    amount = change.amount if amounts is None else amounts
    after = values.copy()
    months = (..., span, slice(None))
    match change.operation:
        case Operation.SET:
            after[months] = amount
        case Operation.ADD:
            after[months] += amount
        case Operation.SCALE:
            after[months] *= amount
        case Operation.STOP:
            after[months] = 0.0
        case Operation.DELAY:
            _delay(values, after, span, int(change.amount), is_flow)
        case Operation.DEFER:
            _defer(values, after, span, change, is_flow, amount)
    return after if change.strength == 1 else values + (after - values) * change.strength


def _delay(values: Values, after: Values, span: slice, by: int, is_flow: bool) -> None:
    """A flow happens so many months later; a level holds its earlier value so much longer."""
    count = values.shape[MONTH_AXIS]
    if not by:
        return
    if not is_flow:
        sources = np.maximum(np.arange(span.start, span.stop) - by, 0)
        after[..., span, :] = values[..., sources, :]
        return
    after[..., span, :] = 0.0
    landing = slice(min(span.start + by, count), min(span.stop + by, count))
    after[..., landing, :] += values[..., span.start : span.start + landing.stop - landing.start, :]


def _defer(values: Values, after: Values, span: slice, change: Change, is_flow: bool, amount: float | Values) -> None:
    """A share is put off, and caught up evenly in the months after; what those reach beyond the end is left out."""
    if not is_flow:
        raise InvalidModel("Only a flow can be put off and caught up; set or scale a level instead.", change.line)
    put_off = values[..., span, :] * amount
    after[..., span, :] -= put_off
    later = slice(span.stop, min(span.stop + change.catch_up_months, values.shape[MONTH_AXIS]))
    after[..., later, :] += put_off.sum(axis=MONTH_AXIS, keepdims=True) / change.catch_up_months


def _members(change: Change, dimensions: tuple[Dimension, ...]) -> Any:
    picked: list[NDArray[np.int64]] = []
    for dimension in dimensions:
        named = [dimension.index(member) for name, member in change.members if name == dimension.name]
        picked.append(np.array(named if named else range(len(dimension))))
    return np.ix_(*picked) if picked else ...
