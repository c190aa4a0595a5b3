"""Changes: the one primitive. (line, members, months, operation, amount), applied to a line's values."""

from dataclasses import dataclass, fields, replace
from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.changes.course import ByHand, Course
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
    WITH_MOVE = "with_move"


RUNNING = (Operation.SET, Operation.ADD, Operation.SCALE)
"""Operations whose amount may differ by month."""
SIMPLE = (*RUNNING, Operation.STOP)
"""Operations that treat every month by itself, and can so be cut by months."""


BARE = (Operation.STOP, Operation.WITH_MOVE)
"""Operations without an amount."""


@dataclass(frozen=True)
class Change:
    """One change of a line.

    Parameters
    ----------
    line : str.
    operation : Operation.
    amount : float. In the line's unit for set and add; a factor for scale; whole months for delay; the share put
        off (0 to 1) for defer; unused for stop, and for a date, counted in months, that comes with its move: it comes
        as many months later as the move starts later than its own start.
    members : tuple of (dimension, member). Empty for all; several members of one dimension are alternatives.
    first, last : Month or None. Inclusive; None is open. Actual months are never changed.
    note : str. Why.
    catch_up_months : int. Months after ``last`` over which what was deferred is caught up evenly; defer only.
    strength : float, 0 to 1; up to 1.5 for add and scale. How much of the change happens: halfway between without
        and with it at 0.5.
    name : str. Lets a case further down drop this change; empty for most.
    course : Course or None. How the amount runs month by month, counted from ``first``; set, add and scale only.

    Raises
    ------
    InvalidModel: months of delay that are not whole or below 0, a share outside 0 to 1, a deferral without an end
        or without months to catch up in, a strength out of its bounds, a course without a first month.
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
    course: Course | None = None

    def __post_init__(self) -> None:
        place = f"changes/{self.line}"
        if self.operation is Operation.DELAY and (self.amount < 0 or self.amount != int(self.amount)):
            raise InvalidModel(f"A delay is a whole number of months from 0; {self.amount:g} was given.", place)
        if self.operation is Operation.DEFER:
            if not 0 <= self.amount <= 1:
                raise InvalidModel(f"The share put off lies between 0 and 1; {self.amount:g} was given.", place)
            if self.last is None or self.catch_up_months < 1:
                raise InvalidModel("What is put off needs a last month, and months to catch up in afterwards.", place)
        most = 1.5 if self.operation in (Operation.ADD, Operation.SCALE) else 1.0
        if not 0 <= self.strength <= most:
            raise InvalidModel(f"A strength lies between 0 and {most:g}; {self.strength:g} was given.", place)
        if self.course is not None and self.operation not in RUNNING:
            raise InvalidModel(f"Only {', '.join(RUNNING)} take amounts that differ by month.", place)
        if self.course is not None and self.first is None:
            raise InvalidModel("Amounts that differ by month are counted from a first month; name it.", place)

    def __hash__(self) -> int:
        known: int | None = self.__dict__.get("_hash")
        if known is None:  # lists of changes are keys, asked for again and again
            known = hash(tuple(getattr(self, each.name) for each in fields(self)))
            object.__setattr__(self, "_hash", known)
        return known

    @property
    def is_simple(self) -> bool:
        """Whether it treats every month by itself, and can so be cut by months."""
        return self.operation in SIMPLE

    def is_about(self, dimensions: tuple[str, ...], key: tuple[str, ...]) -> bool:
        """Whether it is about a line's member; a shorter key stands for all it does not say.

        Several members it names of one dimension are alternatives.
        """
        own = dict(zip(dimensions, key, strict=False))
        named: dict[str, set[str]] = {}
        for dimension, member in self.members:
            named.setdefault(dimension, set()).add(member)
        return all(own[dimension] in members for dimension, members in named.items() if dimension in own)

    def with_amount(self, amount: float) -> "Change":
        """Return the same change with another amount."""
        return replace(self, amount=amount)

    def starting(self, first: Month) -> "Change":
        """Return the change without its months before ``first``; it must treat every month by itself."""
        if self.first is not None and self.first >= first:
            return self
        course = self.course
        if course is not None and self.first is not None:
            course = course.later(first.ordinal - self.first.ordinal)
        return replace(self, first=first, course=course)


def plan_months(change: Change, timeline: Timeline) -> slice:
    """Return the months a change covers, without actual months."""
    last = change.last
    if isinstance(change.course, ByHand) and change.first is not None:
        typed = change.first.plus(len(change.course.amounts) - 1)
        last = typed if last is None else min(last, typed)
    span = timeline.span(change.first, last)
    return slice(max(span.start, timeline.actual_count), max(span.stop, timeline.actual_count))


def meet(one: Change, other: Change, timeline: Timeline) -> bool:
    """Return whether two changes of a line touch a cell in common; one that moves months touches all of them."""
    for dimension in {name for name, _ in one.members}:
        mine, theirs = ({m for name, m in c.members if name == dimension} for c in (one, other))
        if theirs and mine.isdisjoint(theirs):
            return False
    first, second = plan_months(one, timeline), plan_months(other, timeline)
    return not (one.is_simple and other.is_simple) or (first.start < second.stop and second.start < first.stop)


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
        span, operation = plan_months(change, timeline), simple[change.operation]
        amount, months = _amounts(change, timeline, span, amounts), values[..., span, :]
        if change.course is None and operation is not None:
            operation(months, amount, out=months)
            return
        after = amount if operation is None else operation(months, amount)
        months[...] = after if change.course is None else np.where(np.isnan(amount), months, after)
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
    amount = _amounts(change, timeline, span, amounts)
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
    if change.course is not None:
        after[months] = np.where(np.isnan(amount), values[months], after[months])
    return after if change.strength == 1 else values + (after - values) * change.strength


def _amounts(change: Change, timeline: Timeline, span: slice, amounts: Values | None) -> float | Values:
    """What a change does in the months of a span: one amount, one for each entry, or (months, batch)."""
    amount = change.amount if amounts is None else amounts
    count, begin = span.stop - span.start, timeline.start.plus(span.start)
    if change.course is None or change.first is None or not count:
        return amount
    course = change.course.later(begin.ordinal - change.first.ordinal)
    entries = np.atleast_1d(np.asarray(amount, dtype=float))
    if np.all(entries == entries[0]):
        entries = entries[:1]
    return np.stack([course.values(count, float(one), timeline.fiscal_year_start) for one in entries], axis=-1)


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
