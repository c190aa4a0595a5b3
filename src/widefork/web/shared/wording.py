"""Changes in words, as pages say them."""

from collections.abc import Callable, Iterator
from dataclasses import replace

from widefork.core.axes import Month, Timeline
from widefork.core.changes import ByAge, Change, Operation, moved
from widefork.core.graph.model import Model
from widefork.core.lines import Line, MemberKey, OverMembers, OverTime
from widefork.web.shared import formats


def steps_in_words(model: Model, case: str) -> Iterator[tuple[str, Change]]:
    """Return every change of a case, inherited ones first and a sketch on it last, and whose it is.

    That is the case that made it, the move it belongs to, or “sketch”.
    """
    for layer in model.layers_of(case):
        owner = model.case(layer.case).label if layer.move is None else model.move_by_name[layer.move].label
        for change in layer.changes:
            yield owner, replace(change, note="") if change.note == owner else change
    if model.sketch is not None and model.sketch.case == case:
        for switch in model.sketch.switches:
            yield from (("sketch", change) for change in moved(model.move_by_name[switch.move], switch))
        yield from (("sketch", change) for change in model.sketch.changes)


def change_words(change: Change, model: Model) -> str:
    """Return a change as a phrase."""
    what, where = change_parts(change, model)
    why = f" ({change.note})" if change.note else ""
    return f"{what}{where and ' '}{where}{why}"


def change_parts(change: Change, model: Model) -> tuple[str, str]:
    """Return what a change does, and to which members in which months; empty where to all of them."""
    line = model.line(change.line)
    what = {
        Operation.SET: f"set to {_amount(change, lambda amount: formats.exact(amount, line.unit))}",
        Operation.ADD: _amount(change, lambda amount: formats.exact_difference(amount, line.unit)),
        Operation.SCALE: f"× {_amount(change, formats.written_out)}",
        Operation.STOP: "stopped",
        Operation.DELAY: f"{change.amount:g} months later",
        Operation.DEFER: f"{change.amount * 100:g} % put off, {_catching_up(change, model)}",
        Operation.WITH_MOVE: "as much as the move",
    }[change.operation]
    if change.strength != 1:
        what += f" at {change.strength * 100:g} % strength"
    where = f" in {', '.join(member for _, member in change.members)}" if change.members else ""
    first = f" from {change.first.label}" if change.first else ""
    last = f" to {change.last.label}" if change.last else ""
    return what, f"{where}{first}{last}".strip()


def _catching_up(change: Change, model: Model) -> str:
    return caught_up(change.last, change.catch_up_months, model.timeline.end) if change.last is not None else ""


def caught_up(last: Month, months: int, end: Month) -> str:
    """Return when what is put off until ``last`` is paid, and how much of that the plan, to ``end``, does not show."""
    first, until = last.plus(1), last.plus(months)
    beyond = min(months, until.ordinal - end.ordinal)
    if months == 1:
        return f"caught up in {first.label}" + (", after the plan's end" if beyond > 0 else "")
    later = f", {beyond} of them after the plan's end" if beyond > 0 else ""
    return f"caught up over {months} months, {first.label} to {until.label}{later}"


def no_total(line: Line, members: MemberKey, first: Month, last: Month, timeline: Timeline) -> str:
    """Return why a cell stays empty, of several months or members that differ or too early; empty where it has a total.

    Parameters
    ----------
    first, last : the cell's months.
    """
    blank, is_range = line.rollup.blank_months, first != last
    if timeline.index(last) < blank:
        known = timeline.start.plus(blank)
        since = f"from {known.label} on" if known <= timeline.end else "after the plan's end"
        return f"No value yet: it looks back to months before the timeline begins, and has one {since}."
    is_whole = bool(line.dimensions) and not members
    if line.rollup.has_total(is_range, is_whole):
        return ""
    over_time = is_range and not line.rollup.has_total(over_time=True, over_members=False)
    over_members = is_whole and not line.rollup.has_total(over_time=False, over_members=True)
    named = [word for word, is_so in (("months", over_time), ("members", over_members)) if is_so]
    return f"No total: its {' and '.join(named)} differ, and nothing says what weighs them. Its panel asks for it."


def total_words(rollup: OverTime | OverMembers, line: Line, model: Model, of: str) -> str:
    """Return how parts become the whole, such as “the sum of 12 months”."""
    weight = model.line_by_name.get(line.rollup.denominator)
    return {
        "weighted": f"the mean of {of}, weighted by {weight.label if weight is not None else 'nothing'}",
        "none": f"the same in all {of}",
        "start": f"the first of {of}",
        "end": f"the last of {of}",
    }.get(rollup.value, f"the {rollup.value} of {of}")


def _amount(change: Change, show: Callable[[float], str]) -> str:
    if change.course is None:
        return show(change.amount)
    words = change.course.words(show)
    return f"{show(change.amount)} {words}" if isinstance(change.course, ByAge) else words
