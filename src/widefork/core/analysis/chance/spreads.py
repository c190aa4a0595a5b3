"""What is drawn: a line, how its amounts are spread, and whether once, by year or month by month."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.chance.distributions import Discrete, Distribution
from widefork.core.analysis.chance.fit import fitted
from widefork.core.axes import Grain, Month
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.graph.plan import Plan
from widefork.core.lines import MemberKey
from widefork.core.look import PlausibleRange
from widefork.core.spreads import USUAL_SHARE, Applied, Redrawn, Shape, SpreadSetting, spread_name

Members = tuple[tuple[str, str], ...]
MOST_DELAY = 24
"""Months a drawn delay is capped at."""


@dataclass(frozen=True)
class Spread:
    """One thing nobody knows exactly.

    Parameters
    ----------
    line : an assumption, or a calculated line that can be changed after its formula. members : of it; empty for all.
    parts : the members that a drawn amount moves alike, where those are not all that ``members`` says.
    operation : what a drawn amount does: a factor, an addition, a value, or a delay in whole months, which is capped.
    distribution : of the amounts. rhythm : drawn once for the whole plan, by fiscal year, or month by month.
    persistence : of one period to the next, from 0 to below 1: the numbers behind the amounts are a first-order
        autoregression, AR(1), begun from its stationary spread, so that every period is spread as the distribution
        says.

    Raises
    ------
    InvalidValue: a persistence out of its bounds, or of what is drawn once; a delay that is not drawn once.
    """

    line: str
    operation: Operation
    distribution: Distribution
    rhythm: Redrawn = Redrawn.ONCE
    persistence: float = 0.0
    members: Members = ()
    parts: tuple[Members, ...] = ()

    def __post_init__(self) -> None:
        if not 0 <= self.persistence < 1:
            raise InvalidValue(f"Persistence lies from 0 to below 1; {self.persistence:g} was given.")
        if self.persistence and self.rhythm is Redrawn.ONCE:
            raise InvalidValue("What is drawn once for the whole plan has no persistence; draw it by year or by month.")
        if self.operation not in (Operation.SCALE, Operation.ADD, Operation.SET, Operation.DELAY):
            raise InvalidValue(f"Drawn amounts are factors, additions, values or delays, not “{self.operation.value}”.")
        if self.operation is Operation.DELAY and self.rhythm is not Redrawn.ONCE:
            raise InvalidValue("A delay is drawn once for the whole plan.")

    @property
    def name(self) -> str:
        """What it is called among others: the line, with its members."""
        return spread_name(self.line, self.members)

    def ways(self, plan: Plan) -> tuple[Change, ...]:
        """Return the change of each number drawn, without its amount: one, or one for each period of the plan."""
        timeline = plan.model.timeline
        if self.rhythm is Redrawn.ONCE:
            return (Change(self.line, self.operation, 0.0, self.members),)
        grain = Grain.YEAR if self.rhythm is Redrawn.YEAR else Grain.MONTH
        periods = timeline.periods(grain, timeline.first_plan, timeline.end)
        spans: list[tuple[Month, Month]] = [(max(p.first, timeline.first_plan), p.last) for p in periods]
        return tuple(Change(self.line, self.operation, 0.0, self.members, first, last) for first, last in spans)


def spread_of(
    plan: Plan,
    line: str,
    plausible: PlausibleRange,
    shape: Shape = Shape.TRIANGULAR,
    held: float = USUAL_SHARE,
    rhythm: Redrawn = Redrawn.ONCE,
    persistence: float = 0.0,
    members: Members = (),
    applied: Applied = Applied.USUAL,
) -> Spread:
    """Return the spread a plausible range says, relative to the case it is drawn on.

    A share of what is assumed is a factor. A range in the line's unit is a factor of what is likely where that is above
    0, else an addition to it: so a case that assumes otherwise is spread around its own amount. Applied as a value, it
    stands in place of what any case assumes.

    Raises
    ------
    InvalidValue: as ``fitted``; a range that cannot be applied so. UnknownName: no such line.
    """
    label = plan.model.line(line).label
    low, likely, high = plausible.low, plausible.likely, plausible.high
    if plausible.is_relative and applied in (Applied.ADDITION, Applied.VALUE):
        raise InvalidValue(
            f"A share of {label} cannot be drawn as {_APPLIED[applied]}; write the range in amounts, like 42 to 49."
        )
    if applied is Applied.FACTOR and not plausible.is_relative and likely <= 0:
        raise InvalidValue(
            f"{label} is likely {likely:g}, which a factor cannot spread; draw it as an addition, or write the range "
            "as shares, like −10 % to +5 %."
        )
    if plausible.is_relative:
        operation, ends = Operation.SCALE, (1 + low, 1 + likely, 1 + high)
    elif applied is Applied.VALUE:
        operation, ends = Operation.SET, (low, likely, high)
    elif likely > 0 and applied is not Applied.ADDITION:
        operation, ends = Operation.SCALE, (low / likely, 1.0, high / likely)
    else:
        operation, ends = Operation.ADD, (low - likely, 0.0, high - likely)
    return Spread(line, operation, fitted(shape, *ends, held), rhythm, persistence, members)


_APPLIED = {Applied.ADDITION: "an addition", Applied.VALUE: "a value"}


def usual_spreads(
    plan: Plan,
    lines: Sequence[str] = (),
    shape: Shape = Shape.TRIANGULAR,
    held: float = USUAL_SHARE,
    rhythm: Redrawn = Redrawn.ONCE,
    persistence: float = 0.0,
    said: Sequence[SpreadSetting] = (),
    refused: Callable[[str, InvalidValue], None] | None = None,
) -> tuple[Spread, ...]:
    """Return the spread of every assumption that has a plausible range with a width, in reading order.

    What the model says of a line's own spread goes before; it may also spread a calculated line, with a range of its
    own. Members it says something of are drawn by themselves, and the rest of the line together.

    Parameters
    ----------
    lines : only these; all where it is empty. shape, held, rhythm, persistence : of those the model says nothing of.
    said : goes before what the model says of the same.
    refused : hears of each that cannot be drawn, and why; the others are returned. Without it the first is raised.

    Raises
    ------
    InvalidValue: a shape that does not fit a range, or a range that cannot be applied as it says.
    """
    settings_of: dict[str, list[SpreadSetting]] = {}
    for setting in {each.name: each for each in (*plan.model.spreads, *said)}.values():
        settings_of.setdefault(plan.model.line(setting.line).name, []).append(setting)
    found = []
    for line in plan.model.lines:
        if lines and line.name not in lines:
            continue
        settings = settings_of.get(line.name, [])
        if line.is_assumption and all(setting.members for setting in settings):
            as_asked = SpreadSetting(line.name, shape, held, rhythm, persistence if rhythm is not Redrawn.ONCE else 0.0)
            settings = [as_asked, *settings]
        for setting, parts in _divided(plan.model.keys_of(line), line.dimensions, settings):
            plausible = setting.plausible if setting.plausible is not None else line.plausible
            if plausible is None or (plausible.low == plausible.high and setting.plausible is None):
                continue
            ways = (setting.shape, setting.held, setting.rhythm, setting.persistence, setting.members, setting.applied)
            try:
                found.append(replace(spread_of(plan, line.name, plausible, *ways), parts=parts))
            except InvalidValue as fault:
                if refused is None:
                    raise
                refused(setting.name, fault)
    return tuple(found)


def _divided(
    keys: Sequence[MemberKey], dimensions: Sequence[str], settings: Sequence[SpreadSetting]
) -> Iterator[tuple[SpreadSetting, tuple[Members, ...]]]:
    """What is said of a line, each with the members it is left with; what is left with none is left out."""
    if len(settings) == 1:
        yield settings[0], ()
        return
    by_precision = sorted(settings, key=lambda setting: -len(setting.members))
    own: dict[str, list[Members]] = {setting.name: [] for setting in settings}
    for key in keys:
        named = tuple(zip(dimensions, key, strict=True))
        setting = next((each for each in by_precision if set(each.members) <= set(named)), None)
        if setting is not None:
            own[setting.name].append(named)
    for setting in settings:
        matching = sum(set(setting.members) <= set(zip(dimensions, key, strict=True)) for key in keys)
        parts = own[setting.name]
        if parts:
            yield setting, () if len(parts) == matching else tuple(parts)


def correlations_of(plan: Plan, spreads: Sequence[Spread]) -> NDArray[np.float64] | None:
    """Return what the model says of how spreads go together, shape (spreads, spreads); None where it says nothing."""
    matrix = np.eye(len(spreads))
    for pair in plan.model.correlations:
        for one, first in enumerate(spreads):
            for other, second in enumerate(spreads):
                if (first.line, second.line) == (pair.one, pair.other) and _can_meet(first, second):
                    matrix[one, other] = matrix[other, one] = pair.coefficient
    return None if np.array_equal(matrix, np.eye(len(spreads))) else matrix


def _can_meet(one: Spread, other: Spread) -> bool:
    """Whether two spreads are about a common member, drawn in the same rhythm."""
    named = dict(one.members)
    return all(named.get(dimension, member) == member for dimension, member in other.members)


def hoped_for(plan: Plan, changes: Sequence[Change]) -> tuple[Spread, ...]:
    """Return for every hoped-for contract a spread that makes it come or not, as often as its probability says."""
    model = plan.model
    books = {given.name for given in model.schedules if given.kind == "contracts"}
    sources = [(line.name, line.source) for line in model.lines if line.source is not None]
    names = [name for name, source in sources if source.schedule in books and source.part == "probability"]
    if not names:
        return ()
    results = evaluate(plan, [changes], names)
    found = []
    for name in names:
        line = model.line(name)
        for key in model.keys_of(line):
            share = float(np.nan_to_num(results.series(name, key)[-1]))
            if 0 < share < 1:
                named = tuple(zip(line.dimensions, key, strict=True))
                found.append(Spread(name, Operation.SET, Discrete((0.0, 1.0), (1 - share, share)), members=named))
    return tuple(found)
