"""Changes cut and joined: what is left of one without some of its cells, and the fewest that say the same."""

from collections.abc import Iterable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.changes.change import Change, Operation
from widefork.core.changes.course import ByHand


def changes_to(
    line: str,
    members: tuple[tuple[str, str], ...],
    now: NDArray[np.float64],
    wanted: NDArray[np.float64],
    timeline: Timeline,
) -> tuple[Change, ...]:
    """Return the one change that turns a line's plan months into others; none where they are so already.

    Parameters
    ----------
    now, wanted : shape (months,), in the line's unit. Months that agree to 1e-12 are left alone.

    Examples
    --------
    >>> from widefork.core.axes import Month
    >>> timeline = Timeline(Month(2027, 1), 4)
    >>> found = changes_to("rent", (), np.array([5.0, 5, 5, 5]), np.array([5.0, 7, 7, 5]), timeline)
    >>> [(change.amount, str(change.first), str(change.last)) for change in found]
    [(7.0, '2027-02', '2027-03')]
    >>> changes_to("rent", (), np.array([5.0, 5, 5, 5]), np.array([6.0, 5, 7, 5]), timeline)[0].course
    ByHand(amounts=(6.0, None, 7.0))
    """
    apart = ~np.isclose(now, wanted, rtol=1e-12, atol=0.0, equal_nan=True)
    apart[: timeline.actual_count] = False
    places = np.flatnonzero(apart)
    if not places.size:
        return ()
    begin, end = int(places[0]), int(places[-1])
    first, last = timeline.months[begin], timeline.months[end]
    amounts = tuple(float(wanted[k]) if apart[k] else None for k in range(begin, end + 1))
    if amounts[0] is not None and set(amounts) == {amounts[0]}:
        return (Change(line, Operation.SET, amounts[0], members, first, last),)
    return (Change(line, Operation.SET, 0.0, members, first, last, course=ByHand(amounts)),)


def joined(changes: Iterable[Change]) -> tuple[Change, ...]:
    """Return the same changes with neighbours made one where only their months differ and follow each other."""
    found: list[Change] = []
    for change in changes:
        last = found[-1] if found else None
        if last is not None and last.is_simple and _follows(last, change):
            found[-1] = replace(last, last=change.last)
        else:
            found.append(change)
    return tuple(found)


def _follows(earlier: Change, later: Change) -> bool:
    if earlier.last is None or later.first is None or earlier.last.plus(1) != later.first:
        return False
    if earlier.course is not None:
        return False
    return replace(earlier, first=None, last=None) == replace(later, first=None, last=None)


def without(
    change: Change, key: tuple[str, ...], first: Month | None, last: Month | None, dimensions: tuple[Dimension, ...]
) -> tuple[Change, ...]:
    """Return what is left of a change when some of its cells go back to what they were without it.

    Parameters
    ----------
    key : one member per dimension; () for all of them. first, last : the months; None is open.
    dimensions : of the change's line.

    A change that moves months (a delay, a deferral) cannot be cut by months and goes whole for these members.
    """
    inside, outside = _by_members(change, key, dimensions)
    if inside is None:
        return (change,)
    if not change.is_simple or _within(change, first, last):
        return outside
    pieces = list(outside)
    if isinstance(inside.course, ByHand) and inside.first is not None:
        return (*pieces, *_with_hole(inside, inside.course, inside.first, first, last))
    if first is not None and (change.first is None or change.first < first):
        before = change.last if change.last is not None and change.last < first else first.plus(-1)
        pieces.append(replace(inside, last=before))
    if last is not None and (change.last is None or change.last > last):
        after = change.first if change.first is not None and change.first > last else last.plus(1)
        pieces.append(replace(inside.starting(after), name="" if pieces else inside.name))
    return tuple(pieces)


def _with_hole(
    change: Change, typed: ByHand, start: Month, first: Month | None, last: Month | None
) -> tuple[Change, ...]:
    """A change typed month by month that leaves some months as they are: still one change."""
    months = [(start.plus(age), amount) for age, amount in enumerate(typed.amounts)]
    outside = [(month, None if _lies(month, first, last) else amount) for month, amount in months]
    kept = [place for place, (_, amount) in enumerate(outside) if amount is not None]
    if not kept:
        return ()
    left = outside[kept[0] : kept[-1] + 1]
    course = ByHand(tuple(amount for _, amount in left))
    return (replace(change, first=left[0][0], last=left[-1][0], course=course),)


def _lies(month: Month, first: Month | None, last: Month | None) -> bool:
    return (first is None or month >= first) and (last is None or month <= last)


def _within(change: Change, first: Month | None, last: Month | None) -> bool:
    starts = first is None or (change.first is not None and change.first >= first)
    ends = last is None or (change.last is not None and change.last <= last)
    return starts and ends


def _by_members(
    change: Change, key: tuple[str, ...], dimensions: tuple[Dimension, ...]
) -> tuple[Change | None, tuple[Change, ...]]:
    """The part of a change within a member key, and the parts outside it."""
    if not key:
        return change, ()
    covered = {
        dimension.name: [m for d, m in change.members if d == dimension.name] or list(dimension.members)
        for dimension in dimensions
    }
    if any(member not in covered[dimension.name] for dimension, member in zip(dimensions, key, strict=True)):
        return None, (change,)
    outside: list[Change] = []
    fixed: list[tuple[str, str]] = []
    for place, (dimension, member) in enumerate(zip(dimensions, key, strict=True)):
        others = [(dimension.name, other) for other in covered[dimension.name] if other != member]
        later = [pair for pair in change.members if pair[0] in [d.name for d in dimensions[place + 1 :]]]
        if others:
            outside.append(replace(change, members=(*fixed, *others, *later), name=""))
        fixed.append((dimension.name, member))
    return replace(change, members=tuple(fixed), name="" if outside else change.name), tuple(outside)
