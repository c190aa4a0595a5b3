"""What can be done about receipts and payments, each as ordinary changes: the waterline follows at once.

Putting off, instalments and bringing forward move the payment and leave what is charged; what is unpaid stays owed.
Reducing and dropping change what is charged, and so what is paid for it, when its terms say.
"""

from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.waterline.kinds import Handle, handle_of
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.errors import ChangeRefused, InvalidValue
from widefork.core.finance.schedules import SCHEDULES, Role
from widefork.core.finance.settlement import SETTLED
from widefork.core.graph.calculate import Results
from widefork.core.graph.plan import Plan

LONGEST = 60


@dataclass(frozen=True)
class Span:
    """Months, both inclusive; and over how many more months something is caught up, cut or moved."""

    first: Month
    last: Month
    months: int = 1


def checked_span(plan: Plan, first: Month, last: Month, months: int) -> Span:
    """Return a span of plan months; raise InvalidValue naming what is wrong with it."""
    timeline = plan.model.timeline
    if last < first:
        raise InvalidValue(f"{last.label} is before {first.label}.")
    if first < timeline.first_plan or last > timeline.end:
        raise InvalidValue(
            f"Choose months of the plan, {timeline.first_plan.label} to {timeline.end.label}; the rest is history."
        )
    if not 1 <= months <= LONGEST:
        raise InvalidValue(f"Expected 1 to {LONGEST} months; got {months}.")
    return Span(first, last, months)


def _share(share: float) -> float:
    if not 0 < share <= 1:
        raise InvalidValue(f"A share lies above 0 % and up to 100 %; got {share * 100:g} %.")
    return share


def put_off(results: Results, batch: int, name: str, share: float, span: Span) -> tuple[Change, ...]:
    """Return changes that put a share of payments off and catch them up evenly in the months after.

    Parameters
    ----------
    results : of the plan as it stands, whose amounts are moved where no deferral can be. name : a settlement.
    span : ``months`` is how long catching up takes.
    """
    handle = _handle(results.plan, name)
    if handle.is_direct:
        deferred = Change(name, Operation.DEFER, _share(share), (), span.first, span.last, catch_up_months=span.months)
        return (deferred,)
    return _moved_amounts(results, batch, name, handle, _share(share), span)


def instalments(results: Results, batch: int, name: str, parts: int, span: Span) -> tuple[Change, ...]:
    """Return changes that cut each month's payment into equal parts, the first when it is due, one a month."""
    if parts < 2:
        raise InvalidValue(f"Instalments are 2 or more; got {parts}.")
    months = range(span.last.ordinal - span.first.ordinal + 1)
    changes: list[Change] = []
    for month in (span.first.plus(n) for n in months):
        one = Span(month, month, parts - 1)
        changes += put_off(results, batch, name, (parts - 1) / parts, one)
    return tuple(changes)


def bring_forward(results: Results, batch: int, name: str, share: float, span: Span) -> tuple[Change, ...]:
    """Return changes that move a share of each month's amount so many months earlier, into the plan at the earliest."""
    handle = _handle(results.plan, name)
    if not handle.is_direct:
        raise InvalidValue("What follows from what is owed cannot come earlier here; repay early under Terms.")
    timeline = results.plan.model.timeline
    amounts = results.series(name, (), batch)
    changes = []
    for ordinal in range(span.first.ordinal, span.last.ordinal + 1):
        month = timeline.start.plus(ordinal - timeline.start.ordinal)
        moved = float(amounts[timeline.index(month)]) * _share(share)
        earlier = max(month.plus(-span.months), timeline.first_plan)
        if moved and earlier < month:
            changes.append(Change(name, Operation.ADD, moved, (), earlier, earlier))
            changes.append(Change(name, Operation.ADD, -moved, (), month, month))
    if not changes:
        raise InvalidValue("There is nothing in these months that could come earlier.")
    return tuple(changes)


def reduce(plan: Plan, name: str, share: float, span: Span) -> tuple[Change, ...]:
    """Return changes that lower what is charged by a share, in all of what a payment is for."""
    factor = 1 - _share(share)
    operation = Operation.SCALE if factor else Operation.STOP
    charged = charges_of(plan, name)
    for line in charged:
        plan.check_changeable(line)
    return tuple(Change(line, operation, factor, (), span.first, span.last) for line in charged)


def charges_of(plan: Plan, name: str) -> tuple[str, ...]:
    """Return the lines a payment is for, and so what can be reduced or dropped.

    Raises
    ------
    ChangeRefused: nothing that is charged stands behind it, such as a loan's repayment.
    """
    line = plan.model.line(name)
    settled = name.removeprefix(f"{SETTLED}_")
    if line.source is not None and line.source.schedule == SETTLED and settled in plan.model.line_by_name:
        return (settled,)
    owner = next((s for s in plan.model.schedules if line.source is not None and s.name == line.source.schedule), None)
    if owner is not None:
        of = [s.key for s in SCHEDULES[owner.kind].settings if s.role is Role.SETTLED]
        named = tuple(str(found) for key in of for found in owner.settings.get(key, ()))
        if named:
            return named
    behind = [need for need in plan.needs[name].names if need in plan.model.line_by_name] if name in plan.needs else []
    if len(behind) == 1 and plan.model.line(behind[0]).is_assumption:
        return (behind[0],)
    raise ChangeRefused(name, f"{line.label} is not for one charge that could be reduced; put it off instead.")


def _handle(plan: Plan, name: str) -> Handle:
    handle = handle_of(plan, name)
    if handle.reason:
        raise ChangeRefused(name, handle.reason)
    return handle


def _moved_amounts(
    results: Results, batch: int, name: str, handle: Handle, share: float, span: Span
) -> tuple[Change, ...]:
    """Where a payment follows from its own past, fixed amounts are put off and, where nothing else does, caught up."""
    timeline = results.plan.model.timeline
    months = timeline.span(span.first, span.last)
    amounts = results.series(name, (), batch)[months] * share
    if share == 1 and handle.at_most:
        # What is put off raises the payments after it, those of this span too.
        owed = float(results.series(handle.at_most, (), batch)[max(0, months.start - 1)])
        amounts = np.where(amounts > 0, owed, 0.0)
    changes = [
        Change(handle.line, Operation.ADD, float(amount), (), span.first.plus(n), span.first.plus(n))
        for n, amount in enumerate(amounts)
        if amount > 0
    ]
    if not changes:
        raise InvalidValue("There is nothing to pay in these months.")
    total = float(sum(change.amount for change in changes))
    first = span.last.plus(1)
    last = min(span.last.plus(span.months), timeline.end)
    if handle.caught_up and first <= last:
        changes.append(Change(handle.caught_up, Operation.ADD, total / span.months, (), first, last))
    return tuple(changes)
