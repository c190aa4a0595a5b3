"""What a figure answers under each change list of a batch."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Grain, Month, Period, Timeline
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.core.graph.calculate import ChangeList, Results
from widefork.core.graph.plan import Plan
from widefork.core.graph.rollup import roll_up

Values = NDArray[np.float64]

_HOLDS = {
    Comparison.AT_LEAST: np.greater_equal,
    Comparison.ABOVE: np.greater,
    Comparison.AT_MOST: np.less_equal,
    Comparison.BELOW: np.less,
}


@dataclass(frozen=True)
class Answer:
    """A figure's answers.

    Parameters
    ----------
    amounts : float array, shape (batch,). In the line's unit; a running number of the month for first month in
        which; a count for number of months. NaN for an error value, or where no month answers.
    ordinals : running numbers of ``months``, shape (batch,); NaN where there is none.
    """

    figure: Figure
    amounts: Values
    ordinals: Values

    @cached_property
    def months(self) -> tuple[Month | None, ...]:
        """By batch entry: the month of a lowest, highest or first, or of a value; None where there is none."""
        known: dict[float, Month] = {}
        found: list[Month | None] = []
        for ordinal in self.ordinals.tolist():
            if ordinal != ordinal:
                found.append(None)
                continue
            if ordinal not in known:
                known[ordinal] = Month.from_ordinal(int(ordinal))
            found.append(known[ordinal])
        return tuple(found)


def period_of(figure: Figure, timeline: Timeline) -> Period:
    """Return a figure's range cut to the timeline.

    Raises
    ------
    InvalidModel: the range lies outside the timeline.
    """
    first = max(figure.first or timeline.start, timeline.start)
    last = min(figure.last or timeline.end, timeline.end)
    if last < first:
        raise InvalidModel(
            f"{figure.label} asks about {figure.first} to {figure.last}; "
            f"the model has {timeline.start} to {timeline.end}.",
            f"figures/{figure.name}",
        )
    return Period(figure.name, figure.label, first, last)


def monthly_series(figure: Figure, results: Results) -> Values:
    """Return the months a figure looks at, members rolled up, shape (months of its range, batch)."""
    timeline = results.plan.model.timeline
    period = period_of(figure, timeline)
    months = timeline.periods(Grain.MONTH, period.first, period.last)
    return roll_up(results, figure.line, months, figure.members)


def answer(figure: Figure, results: Results) -> Answer:
    """Return a figure's answers for every entry of an evaluated batch.

    Raises
    ------
    UnknownName: a line or member that is not there. InvalidModel: a range outside the timeline.
    """
    period = period_of(figure, results.plan.model.timeline)
    nowhere = np.full(results.batch, np.nan)
    if figure.reduction is Reduction.SUM:
        return Answer(figure, roll_up(results, figure.line, [period], figure.members)[0], nowhere)
    if figure.reduction is Reduction.VALUE:
        last = Period("", "", period.last, period.last)
        amounts = roll_up(results, figure.line, [last], figure.members)[0]
        return Answer(figure, amounts, np.full(results.batch, float(period.last.ordinal)))
    series = monthly_series(figure, results)
    if figure.reduction is Reduction.MEAN:
        return Answer(figure, series.mean(axis=0), nowhere)
    broken: Any
    if figure.reduction in (Reduction.LOWEST, Reduction.HIGHEST):
        # A month without a value counts as lowest and as highest, so the answer is without one as well.
        places = series.argmin(axis=0) if figure.reduction is Reduction.LOWEST else series.argmax(axis=0)
        amounts = np.take_along_axis(series, places[None, :], axis=0)[0]
        broken = np.isnan(amounts)
    else:
        broken = np.isnan(series).any(axis=0)
        holds = _HOLDS[figure.comparison](series, figure.threshold)
        if figure.reduction is Reduction.MONTH_COUNT:
            return Answer(figure, np.where(broken, np.nan, holds.sum(axis=0)), nowhere)
        broken = broken | ~holds.any(axis=0)
        places = holds.argmax(axis=0)
        amounts = np.where(broken, np.nan, period.first.ordinal + places)
    return Answer(figure, amounts, np.where(broken, np.nan, period.first.ordinal + places))


PIECE = 512
"""Change lists evaluated at once: enough to be quick, few enough to fit in memory."""


def figures_amounts(plan: Plan, batch: Sequence[ChangeList], figures: Sequence[Figure]) -> Values:
    """Return the amounts of several figures for a batch of any size, shape (figures, batch).

    Raises
    ------
    UnknownName, ChangeRefused: a change or figure that cannot be. InvalidModel: a range outside the timeline.
    """
    lines = list(dict.fromkeys(figure.line for figure in figures))
    pieces = []
    for start in range(0, len(batch), PIECE):
        results = evaluate(plan, batch[start : start + PIECE], lines)
        pieces.append(np.stack([answer(figure, results).amounts for figure in figures]))
    return np.concatenate(pieces, axis=1) if pieces else np.empty((len(figures), 0))


def figure_amounts(plan: Plan, batch: Sequence[ChangeList], figure: Figure) -> Values:
    """Return the amounts of one figure for a batch of any size, shape (batch,); raises as ``figures_amounts``."""
    return np.asarray(figures_amounts(plan, batch, [figure])[0])
