"""A block of values, one for each line, member, case and period, as changes of the root and steps of the cases.

The root is settled first; then each case, its parent before it, on what it inherits by then. A value that is what the
case inherits makes no step. What a case does in other months stays as it is, and so does a change of its own that is
relative there; values set before and now become one step for each line and member.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Grain, Month, Timeline
from widefork.core.changes import ByHand, Change, Family, Operation, Step, changes_to, plan_months, without
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.graph.calculate import Results
from widefork.core.graph.plan import Plan
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, MemberKey

Values = NDArray[np.float64]
Row = tuple[str, MemberKey]
NEARLY = 1e-9


@dataclass(frozen=True)
class Given:
    """A value somebody gives.

    Parameters
    ----------
    members : one for each dimension of the line; () for a line without any.
    first, last : the period's months. amount : in the line's unit; of a flow the period's total, of a level each
        month's.
    """

    case: str
    line: str
    members: MemberKey
    first: Month
    last: Month
    amount: float

    @property
    def row(self) -> Row:
        """The line and member it is about."""
        return self.line, self.members


def months_of(given: Given, line: Line, now: Values, timeline: Timeline) -> tuple[slice, Values]:
    """Return the plan months a value is given for, and what each of them becomes.

    Parameters
    ----------
    now : the months of the case as they stand, shape (months,): the shape a flow's total is spread by, after what its
        actual months hold; evenly where there is none.

    Raises
    ------
    InvalidValue: a period that is history, or whose actual months hold more than the total.
    """
    whole = timeline.span(given.first, given.last)
    span = slice(max(whole.start, timeline.actual_count), whole.stop)
    words = given.first.label if given.first == given.last else f"{given.first.label} to {given.last.label}"
    if span.start >= span.stop:
        raise InvalidValue(f"{words} is history and stays as it is; give values from {timeline.first_plan.label} on.")
    count = span.stop - span.start
    if not line.is_flow:
        return span, np.full(count, given.amount)
    held = float(now[whole.start : span.start].sum())
    rest = given.amount - held
    if held and np.sign(rest) == -np.sign(held) and abs(rest) > NEARLY * abs(held):
        raise InvalidValue(
            f"The actual months of {words} hold {held:,.6g} already, more than {given.amount:,.6g} for all of it."
        )
    shape = now[span]
    total = float(shape.sum())
    if not np.isfinite(total) or abs(total) <= NEARLY * float(np.abs(shape).sum()):
        return span, np.full(count, rest / count)
    return span, shape * (rest / total)


def root_changes(givens: Iterable[Given], before: Results, place: int) -> tuple[Change, ...]:
    """Return the changes that give the root its values; cells that have them already are left alone.

    Parameters
    ----------
    before : the model as it stands. place : the root's in its batch.
    """
    plan = before.plan
    found: list[Change] = []
    for (name, members), own in _by_row(givens).items():
        line, now = plan.model.line(name), _months(before, name, members, place)
        wanted = now.copy()
        for given in own:
            span, amounts = months_of(given, line, now, plan.model.timeline)
            wanted[span] = amounts
        found += changes_to(name, _at(line, members), now, wanted, plan.model.timeline)
    return tuple(found)


def steps_for(
    plan: Plan, family: Family, case: str, givens: Iterable[Given], now: Mapping[Row, Values], holds: bool
) -> tuple[Step, ...]:
    """Return the steps of a case with some values given.

    Parameters
    ----------
    plan : of the model in which the root has its values already. family : in which the parent has its own.
    now : the case's months before anything was given, by line and member: what totals are spread by.
    holds : a value that is what the case inherits is set all the same, and so stays when the parent changes.

    Raises
    ------
    InvalidValue: as ``months_of``. ChangeRefused: a line that cannot be changed.
    """
    model, timeline = plan.model, plan.model.timeline
    rows = _by_row(givens)
    kept: list[Step] = list(family.case(case).steps)
    absorbed: dict[Row, list[Change]] = {row: [] for row in rows}
    for (name, members), own in rows.items():
        plan.check_changeable(name)
        line = model.line(name)
        pieces: list[Step] = []
        for step in kept:
            if not isinstance(step, Change) or step.line != name:
                pieces.append(step)
            elif _is_value(step) and step.members == _at(line, members):
                absorbed[name, members].append(step)
            else:
                pieces += _cut(step, members, own, plan)
        kept = pieces
    lists = [_changes(family.with_steps(case, steps), case) for steps in (family.case(case).steps, kept)]
    results = evaluate(plan, lists, list(dict.fromkeys(name for name, _ in rows)))
    for (name, members), own in rows.items():
        line = model.line(name)
        shown, inherited = (_months(results, name, members, place) for place in (0, 1))
        wanted, against = inherited.copy(), inherited.copy()
        for change in absorbed[name, members]:
            places = _places(change, timeline)
            wanted[places] = shown[places]
        for given in own:
            span, amounts = months_of(given, line, now[name, members], timeline)
            wanted[span] = amounts
            if holds:
                against[span] = np.nan
        close = np.isclose(wanted, inherited, rtol=NEARLY, atol=NEARLY) & np.isfinite(against)
        wanted[close] = against[close]
        # In place of the values before: by their name they are dropped further down, and their reason stays.
        earlier = absorbed[name, members]
        known = next((change.name for change in earlier if change.name), "")
        why = next((change.note for change in earlier if change.note), "")
        for change in changes_to(name, _at(line, members), against, wanted, timeline):
            kept.append(replace(change, name=known, note=why))
    return tuple(kept)


def _changes(family: Family, case: str) -> tuple[Change, ...]:
    return tuple(change for layer in family.layers_of(case) for change in layer.changes)


def _by_row(givens: Iterable[Given]) -> dict[Row, list[Given]]:
    found: dict[Row, list[Given]] = {}
    for given in givens:
        found.setdefault(given.row, []).append(given)
    return found


def _months(results: Results, line: str, members: MemberKey, place: int) -> Values:
    months = results.plan.model.timeline.periods(Grain.MONTH)
    found: Values = roll_up(results, line, months, members)[:, place]
    return found


def _at(line: Line, members: MemberKey) -> tuple[tuple[str, str], ...]:
    return tuple(zip(line.dimensions, members, strict=True))


def _is_value(change: Change) -> bool:
    """Whether a change sets values outright, whatever the case inherits."""
    is_typed = change.course is None or isinstance(change.course, ByHand)
    return change.operation is Operation.SET and change.strength == 1 and is_typed


def _places(change: Change, timeline: Timeline) -> list[int]:
    """The months a change of values sets."""
    span = plan_months(change, timeline)
    if not isinstance(change.course, ByHand) or change.first is None:
        return list(range(span.start, span.stop))
    begin = change.first.ordinal - timeline.start.ordinal
    return [place for place in range(span.start, span.stop) if change.course.amounts[place - begin] is not None]


def _cut(change: Change, members: MemberKey, givens: Sequence[Given], plan: Plan) -> list[Step]:
    """What is left of a change without the periods values are given for."""
    timeline, dimensions = plan.model.timeline, plan.model.dimensions_of(plan.model.line(change.line))
    left: tuple[Change, ...] = (change,)
    for given in givens:
        first = given.first if given.first > timeline.first_plan else None
        last = given.last if given.last < timeline.end else None
        left = tuple(piece for one in left for piece in without(one, members, first, last, dimensions))
    return list(left)
