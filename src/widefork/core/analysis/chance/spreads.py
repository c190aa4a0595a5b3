"""What is drawn: a line, how its amounts are spread, and whether once, by year or month by month."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.chance.distributions import Discrete, Distribution
from widefork.core.analysis.chance.fit import fitted
from widefork.core.axes import Grain, Month
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.graph.plan import Plan
from widefork.core.look import PlausibleRange
from widefork.core.spreads import USUAL_SHARE, Redrawn, Shape

MOST_DELAY = 24
"""Months a drawn delay is capped at."""


@dataclass(frozen=True)
class Spread:
    """One thing nobody knows exactly.

    Parameters
    ----------
    line : an assumption, or a calculated line that can be changed after its formula. members : of it; empty for all.
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
    members: tuple[tuple[str, str], ...] = ()

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
        return " ".join((self.line, *(member for _, member in self.members)))

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
    members: tuple[tuple[str, str], ...] = (),
) -> Spread:
    """Return the spread a plausible range says, relative to the case it is drawn on.

    A share of what is assumed is a factor. A range in the line's unit is a factor of what is likely where that is above
    0, else an addition to it: so a case that assumes otherwise is spread around its own amount.

    Raises
    ------
    InvalidValue: as ``fitted``. UnknownName: no such line.
    """
    plan.model.line(line)
    low, likely, high = plausible.low, plausible.likely, plausible.high
    if plausible.is_relative:
        operation, ends = Operation.SCALE, (1 + low, 1 + likely, 1 + high)
    elif likely > 0:
        operation, ends = Operation.SCALE, (low / likely, 1.0, high / likely)
    else:
        operation, ends = Operation.ADD, (low - likely, 0.0, high - likely)
    return Spread(line, operation, fitted(shape, *ends, held), rhythm, persistence, members)


def usual_spreads(
    plan: Plan,
    lines: Sequence[str] = (),
    shape: Shape = Shape.TRIANGULAR,
    held: float = USUAL_SHARE,
    rhythm: Redrawn = Redrawn.ONCE,
    persistence: float = 0.0,
) -> tuple[Spread, ...]:
    """Return the spread of every assumption that has a plausible range with a width, in reading order.

    What the model says of a line's own spread goes before; it may also spread a calculated line, with a range of its
    own.

    Parameters
    ----------
    lines : only these; all where it is empty. shape, held, rhythm, persistence : of those the model says nothing of.

    Raises
    ------
    InvalidValue: a shape that does not fit a range.
    """
    own = {setting.line: setting for setting in plan.model.spreads}
    found = []
    for line in plan.model.lines:
        setting = own.get(line.name)
        plausible = setting.plausible if setting is not None and setting.plausible is not None else line.plausible
        if plausible is None or plausible.low == plausible.high or (lines and line.name not in lines):
            continue
        if setting is None and not line.is_assumption:
            continue
        if setting is None:
            found.append(spread_of(plan, line.name, plausible, shape, held, rhythm, persistence))
        else:
            ways = (setting.shape, setting.held, setting.rhythm, setting.persistence)
            found.append(spread_of(plan, line.name, plausible, *ways))
    return tuple(found)


def correlations_of(plan: Plan, spreads: Sequence[Spread]) -> NDArray[np.float64] | None:
    """Return what the model says of how spreads go together, shape (spreads, spreads); None where it says nothing."""
    places = {spread.name: place for place, spread in enumerate(spreads)}
    matrix = np.eye(len(spreads))
    for pair in plan.model.correlations:
        if pair.one in places and pair.other in places:
            one, other = places[pair.one], places[pair.other]
            matrix[one, other] = matrix[other, one] = pair.coefficient
    return None if np.array_equal(matrix, np.eye(len(spreads))) else matrix


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
