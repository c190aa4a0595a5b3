"""Any line by who came in when: what those of each period add to it, on top of those who came before."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Grain, Month, Period
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.graph.plan import Plan
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, OverMembers, OverTime

Values = NDArray[np.float64]


@dataclass(frozen=True)
class PeriodCohort:
    """Those who came in during one period.

    Parameters
    ----------
    period : when. joined : how many.
    values : float array, shape (months,), what they add to the line in each month, in its unit.
    """

    period: Period
    joined: float
    values: Values


@dataclass(frozen=True)
class Unfolded:
    """A line by who came in when; ``before`` and the cohorts add to ``total`` in every month.

    Parameters
    ----------
    before : float array, shape (months,), the line with nobody coming in from the first plan month on.
    total : float array, shape (months,), the line as it stands, all members together.
    """

    cohorts: tuple[PeriodCohort, ...]
    before: Values
    total: Values


def unfold(
    plan: Plan, changes: Sequence[Change], flow: str, line: str, grain: Grain = Grain.MONTH, last: Month | None = None
) -> Unfolded:
    """Return what each period's share of a flow adds to a line.

    The model is computed with the flow ending after each period in turn; what a period adds is the difference from the
    one before. So cohorts add up exactly whatever stands between the flow and the line, limits, rounding and loans
    included; where the way is not straight, a cohort is counted on top of those who came before it. Months of history
    stay as they were and are part of ``before``.

    Parameters
    ----------
    plan : the compiled model. changes : the case.
    flow : who comes in, such as customers joining or hires. line : what they make of, such as customers or revenue.
    grain : how long a cohort's period is. last : those who come later are one cohort at the end; None for the end.

    Raises
    ------
    UnknownName: no such line. InvalidValue: the flow is a level, or the line does not depend on it, or it is a ratio
        or an average, which cohorts do not add up to.
    """
    _refuse(plan, plan.model.line(flow), plan.model.line(line))
    timeline = plan.model.timeline
    months = timeline.periods(Grain.MONTH)
    came = roll_up(evaluate(plan, [changes], [flow]), flow, months)[:, 0]
    periods = _periods(plan, grain, last)
    counts = [float(came[timeline.index(p.first) : timeline.index(p.last) + 1].sum()) for p in periods]
    joining = [(period, count) for period, count in zip(periods, counts, strict=True) if count]
    ends = [timeline.first_plan, *(period.last.plus(1) for period, _ in joining)]
    batch = [[*changes, Change(flow, Operation.SCALE, 0.0, first=end)] for end in ends[:-1]]
    found = roll_up(evaluate(plan, [*batch, changes], [line]), line, months)
    added = np.diff(found, axis=1)
    cohorts = tuple(PeriodCohort(period, count, added[:, place]) for place, (period, count) in enumerate(joining))
    return Unfolded(cohorts, found[:, 0], found[:, -1])


def _refuse(plan: Plan, flow: Line, line: Line) -> None:
    if not flow.is_flow:
        raise InvalidValue(f"{flow.label} is a level, not a flow: nobody comes in by it. Choose what is added to it.")
    if not adds_up(line):
        raise InvalidValue(f"{line.label} is a ratio or an average, and cohorts do not add up to it. Choose an amount.")
    if flow.name not in plan.upstream([line.name]):
        raise InvalidValue(f"{line.label} does not depend on {flow.label}, so no cohort of it adds anything.")


def adds_up(line: Line) -> bool:
    """Return whether a line is an amount that cohorts can add up to, rather than a ratio or an average."""
    by_members = bool(line.dimensions) and line.rollup.over_members is not OverMembers.SUM
    return not by_members and line.rollup.over_time in (OverTime.SUM, OverTime.END, OverTime.START)


def _periods(plan: Plan, grain: Grain, last: Month | None) -> list[Period]:
    """The plan's periods, and all after ``last`` as one."""
    timeline = plan.model.timeline
    if timeline.first_plan > timeline.end:
        return []
    until = timeline.end if last is None else min(max(last, timeline.first_plan), timeline.end)
    periods = list(timeline.periods(grain, timeline.first_plan, until))
    if until < timeline.end:
        periods.append(Period("later", "later", until.plus(1), timeline.end))
    return periods


def flows_in(plan: Plan) -> Iterator[tuple[str, str]]:
    """Yield the flows whose cohorts can be asked for, each with the level of its own unit that it ends in.

    A flow comes in where a level of the same unit is made of it, and it is not itself made of such a level, as those
    who leave are, or of its own past, as those who renew are. Money, shares and plain numbers are left out: they are
    not who but how much.
    """
    model = plan.model
    again = {line.name for line in model.lines if line.is_flow and line.name in plan.own_past}
    levels = [line for line in model.lines if line.formula is not None and not line.is_flow and _counts(plan, line)]
    behind = {line.name: plan.upstream([line.name]) for line in levels}
    for flow in model.lines:
        if not flow.is_flow or not _counts(plan, flow):
            continue
        own = plan.upstream([flow.name])
        if any(model.line(name).unit == flow.unit for name in again & own):
            continue
        ends = [
            level for level in levels
            if level.unit == flow.unit and flow.name in behind[level.name] and level.name not in own
        ]  # fmt: skip
        if ends and not any(level.unit == flow.unit and level.name in own for level in levels):
            yield flow.name, _last_of(flow, ends, behind).name


def _counts(plan: Plan, line: Line) -> bool:
    unit = line.unit
    return bool(unit) and not unit.startswith("%") and "/" not in unit and unit.split()[0] != plan.model.currency


def _last_of(flow: Line, ends: Sequence[Line], behind: dict[str, frozenset[str]]) -> Line:
    """The level the flow ends in: in its own section where there is one, and made of the others there."""
    near = [level for level in ends if level.section == flow.section] or list(ends)
    return max(near, key=lambda level: sum(other.name in behind[level.name] for other in near))
