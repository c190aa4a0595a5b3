"""What may change, in words: an assumption, a move's start or strength, with the amounts it may take."""

import re
from dataclasses import dataclass, replace
from math import ceil, floor, isfinite, log10

import numpy as np

from widefork.core.analysis.goal_seek.smallest import Bounded
from widefork.core.analysis.lever import Lever, OneLever, SwitchLever, usual_lever
from widefork.core.analysis.sensitivity import Axis, Moved, Of, Way, read_axis, stretch
from widefork.core.axes import Month
from widefork.core.changes import Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan
from widefork.core.lines import NO_TOTAL, Line, Rollup

_MONTH = r"(?:\d{4}-\d{1,2}|[A-Z][a-z]{2} (?:\d{4}|\d{2}))"
_MONTHS = re.compile(rf"(?P<rest>.+?)(?: from (?P<first>{_MONTH}))?(?: to (?P<last>{_MONTH}))?")
FAR = 3.0
"""Up to how many times itself an assumption whose months differ may go, where nobody says."""
BEYOND = 2.5
"""The same for one whose plan months are all alike."""
NEAR = 0.3
"""By which share an assumption without a plausible range goes both ways, where several share in a change."""


@dataclass(frozen=True)
class Spanned:
    """A lever with the amounts it may take.

    Parameters
    ----------
    label : what it moves, in words. now : the amount that leaves everything as it is; NaN where none does.
    """

    label: str
    lever: OneLever
    low: float
    now: float
    high: float

    def bounded(self, weight: float = 1.0) -> Bounded:
        """Return it as one of several in a smallest change; raise InvalidValue where it stands at no one amount."""
        if not isfinite(self.now):
            raise InvalidValue(
                f"{self.label} differs by month, so it has no one value to start from. Give its range as a change, "
                "like −10 % to +10 %, or let the change start when it no longer differs."
            )
        if not self.low <= self.now <= self.high:
            raise InvalidValue(f"{self.label} stands outside its bounds now; widen them so that it lies within.")
        return Bounded(self.lever, self.low, self.now, self.high, weight)


def counts_things(line: Line, currency: str) -> bool:
    """Return whether a line counts what there are only whole ones of, such as heads, kits, or months put off."""
    if line.source is not None and line.source.part.endswith("later"):  # what comes later does so by whole months
        return True
    return not (
        Rollup.default(line.unit) == NO_TOTAL or line.unit == currency or line.unit.startswith(("hour", "day", "month"))
    )


def read_lever(
    plan: Plan,
    case: str,
    lead: str,
    low: str = "",
    high: str = "",
    first: Month | None = None,
    last: Month | None = None,
    gap: float = float("nan"),
    is_near: bool = False,
) -> Spanned:
    """Return the lever a phrase names, with the amounts it may take.

    Parameters
    ----------
    lead : ``LINE [at MEMBER, ...] [from MONTH] [to MONTH]``, ``start of MOVE`` or ``strength of MOVE``.
    low, high : like ``40``, ``-10 %``, ``x 2``, ``+500``, ``6 months later``, ``Mar 27``; both empty for usual ones.
    first, last : the months between which a line changes, where its phrase does not say.
    gap : what is missing of a goal in currency, which says how far an assumption in currency that is 0 may go.
    is_near : usual amounts are its plausible range, else wide ones.

    Raises
    ------
    InvalidValue: a phrase that cannot be read, one end only. UnknownName: no such line, member or move.
    """
    named, own_first, own_last = _own_months(plan.model, lead)
    if named != lead:
        found = read_lever(plan, case, named, low, high, own_first, own_last, gap, is_near)
        return replace(found, label=f"{found.label}{lead.removeprefix(named)}")
    if bool(low.strip()) != bool(high.strip()):
        raise InvalidValue(f"{lead or 'An assumption'} goes from one amount to another: give both, or neither.")
    span = f"{low.strip()} to {high.strip()}" if low.strip() else ""
    axis = read_axis(plan, case, f"{lead}: {span}" if span else f"{lead}:")
    if axis.of is not Of.LINE and axis.switch is not None:
        lever = SwitchLever(plan.model, case, axis.switch, axis.of is Of.START)
        timeline = plan.model.timeline
        usual = (float(timeline.first_plan.ordinal), float(timeline.end.ordinal)) if lever.is_start else (0.0, 1.5)
        ends = axis.ends if span else usual
        return Spanned(axis.label, lever, *_with_now(ends, axis.now))
    line = plan.model.line(axis.name)
    plan.check_changeable(line.name)
    if span:
        whole = axis.operation is Operation.DELAY or (
            axis.operation in (Operation.SET, Operation.ADD) and counts_things(line, plan.model.currency)
        )
        lever_of = Lever(line.name, axis.operation, axis.members, whole, first, last)
        now = _alike(plan, case, lever_of) if axis.operation is Operation.SET else axis.now
        return Spanned(axis.label, lever_of, axis.ends[0], now, axis.ends[1])
    found = _usual(plan, case, axis, gap, is_near)
    if not isinstance(found.lever, Lever):
        return found
    within = replace(found.lever, first=first, last=last)
    now = _alike(plan, case, within) if within.operation is Operation.SET else found.now
    return replace(found, lever=within, now=now, low=min(found.low, now), high=max(found.high, now))


def _own_months(model: Model, lead: str) -> tuple[str, Month | None, Month | None]:
    """A phrase without the months it ends with, and those; a label that ends like that is left whole."""
    found = _MONTHS.fullmatch(lead)
    if found is None or any(lead in (line.name, line.label) for line in model.lines):
        return lead, None, None
    first, last = (Month.parse(text) if text else None for text in (found["first"], found["last"]))
    if first is not None and last is not None and last < first:
        raise InvalidValue(f"A change that starts in {first.label} cannot end in {last.label}.")
    return found["rest"], first, last


def _with_now(ends: tuple[float, float], now: float) -> tuple[float, float, float]:
    return ends[0], now, ends[1]


def _usual(plan: Plan, case: str, axis: Axis, gap: float, is_near: bool) -> Spanned:
    model = plan.model
    line, changes = model.line(axis.name), model.changes_of(case)
    near = _near(plan, case, axis) if is_near else None
    if near is not None:
        return near
    lever, now = usual_lever(plan, changes, line.name, axis.members)
    whole = lever.operation is Operation.SET and counts_things(line, model.currency)
    lever = replace(lever, is_whole=whole)
    if lever.operation is Operation.SCALE:
        return Spanned(axis.label, lever, 0.0, 1.0, FAR)
    if now:
        low, high = sorted((0.0, _nice(now * BEYOND)))
        most = 1.0 if line.unit.startswith("%") and 0 < now <= 1 else high
        return Spanned(axis.label, lever, low, now, min(high, most))
    is_money = line.unit == model.currency
    size = _nice(abs(gap) * 1.5) if is_money and isfinite(gap) and abs(gap) > 1 else _size_of(plan, case, line)
    return Spanned(axis.label, lever, 0.0, 0.0, size)


def _near(plan: Plan, case: str, axis: Axis) -> Spanned | None:
    """Within its plausible range, else a share both ways; none for an assumption that is 0 all along."""
    model = plan.model
    line = model.line(axis.name)
    results = evaluate(plan, [model.changes_of(case)], [line.name])
    way = Way.RANGE if line.plausible is not None else Way.SHARE
    found = stretch(model, results, Moved((line.name,), axis.members), way, NEAR)
    if found is None or not found.is_single:
        return None
    ends = found.ways[0]
    value = ends.value
    if ends.operation is Operation.SCALE and isfinite(value) and value:  # one value in all months: in its own unit
        low, high = sorted((ends.low * value, ends.high * value))
        whole = counts_things(line, model.currency)
        lever = Lever(line.name, Operation.SET, axis.members, whole)
        return Spanned(axis.label, lever, min(low, value), value, max(high, value))
    whole = ends.operation is Operation.SET and counts_things(line, model.currency)
    lever = Lever(line.name, ends.operation, axis.members, whole)
    return Spanned(axis.label, lever, min(ends.low, ends.now), ends.now, max(ends.high, ends.now))


def _alike(plan: Plan, case: str, lever: Lever) -> float:
    """The one value of the months and members a lever moves; NaN where they differ."""
    model = plan.model
    timeline, line = model.timeline, model.line(lever.line)
    values = evaluate(plan, [model.changes_of(case)], [line.name]).values(line.name)[..., 0]
    named = dict(lever.members)
    for place, dimension in enumerate(model.dimensions_of(line)):
        if dimension.name in named:
            values = values.take([dimension.index(named[dimension.name])], axis=place)
    months = timeline.span(max(lever.first or timeline.first_plan, timeline.first_plan), lever.last)
    moved = values[..., months]
    return float(moved.flat[0]) if moved.size and bool(np.all(moved == moved.flat[0])) else float("nan")


def _nice(amount: float) -> float:
    """Rounded away from 0 to two digits."""
    if not amount:
        return 0.0
    unit = 10.0 ** (floor(log10(abs(amount))) - 1)
    return float(f"{np.sign(amount) * ceil(abs(amount) / unit - 1e-9) * unit:.12g}")


def _size_of(plan: Plan, case: str, line: Line) -> float:
    """How large an amount that is 0 now may usefully be: money by the company's own cash, a share to its whole."""
    if line.unit.startswith("%"):
        return 1.0
    if line.unit != plan.model.currency:
        return 100.0
    results = evaluate(plan, [plan.model.changes_of(case)], ["cash_after_overdraft"])
    cash = np.nan_to_num(results.series("cash_after_overdraft", (), 0))
    return _nice(max(100.0, float(np.abs(cash).max(initial=0.0))))
