"""Sides of a comparison: a case, the same a year before, a sealed copy, another model with lines of these names."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import nan

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import answer
from widefork.core.axes import Month, Period
from widefork.core.errors import InvalidModel, UnknownName
from widefork.core.figures import Figure
from widefork.core.graph.calculate import Results
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import MemberKey

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Side:
    """One of those compared.

    Parameters
    ----------
    label : for a heading. results, place : an evaluation and which entry of it.
    months_back : 12 for the year before; what it says of a month is of so many months earlier.
    """

    label: str
    results: Results
    place: int
    months_back: int = 0

    def reads(self, line: str, members: MemberKey = ()) -> str:
        """Return why it cannot read a line; empty where it can."""
        model = self.results.plan.model
        if line not in model.line_by_name:
            return f"{self.label} has no such line"
        dimensions = model.dimensions_of(model.line(line))
        missing = next((m for m, d in zip(members, dimensions, strict=False) if m not in d.members), "")
        if missing or len(members) > len(dimensions):
            return f"{self.label} has no {missing or 'such member'} there"
        return ""

    def rolled(self, line: str, periods: Sequence[Period], members: MemberKey = ()) -> Values:
        """Return a line's value in each period, shape (periods,); NaN where it has none or its months do not reach.

        The unit is the line's own in its model.
        """
        found = np.full(len(periods), nan)
        if self.reads(line, members):
            return found
        timeline = self.results.plan.model.timeline
        for place, period in enumerate(periods):
            first, last = period.first.plus(-self.months_back), period.last.plus(-self.months_back)
            if timeline.start <= first and last <= timeline.end:
                there = replace(period, first=first, last=last)
                found[place] = roll_up(self.results, line, [there], members)[0, self.place]
        return found

    def answer(self, figure: Figure) -> tuple[float, Month | None]:
        """Return what it answers to a figure, and the month that answers, in the reader's months.

        NaN where it has no such line, or the figure asks of months it does not have; a year before, only a figure with
        a first and a last month has an answer.
        """
        if self.reads(figure.line, figure.members):
            return nan, None
        asked, back = figure, self.months_back
        if back:
            if figure.first is None or figure.last is None:
                return nan, None
            asked = replace(figure, first=figure.first.plus(-back), last=figure.last.plus(-back))
        timeline = self.results.plan.model.timeline
        starts, ends = asked.first or timeline.start, asked.last or timeline.end
        if starts < timeline.start or ends > timeline.end:
            return nan, None
        try:
            found = answer(asked, self.results)
        except (InvalidModel, UnknownName):
            return nan, None
        month = found.months[self.place]
        amount = float(found.amounts[self.place])
        if figure.reduction.gives_month:
            amount += back
        return amount, None if month is None else month.plus(back)
