"""Figures by case, with differences to one of them: one batch, never a snapshot."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import Answer, answer
from widefork.core.engine import evaluate
from widefork.core.figures import Figure
from widefork.core.graph.calculate import Results
from widefork.core.graph.plan import Plan


@dataclass(frozen=True)
class Comparison:
    """Answers of several figures for several cases.

    Parameters
    ----------
    cases : names, in the order of the batch. yardstick : the case differences are taken to.
    answers : one per figure, each with one amount per case.
    """

    cases: tuple[str, ...]
    yardstick: str
    answers: tuple[Answer, ...]

    def difference(self, place: int) -> NDArray[np.float64]:
        """Return each case's amount less the yardstick's, for one figure; in months where a figure gives months."""
        amounts = self.answers[place].amounts
        return np.asarray(amounts - amounts[self.cases.index(self.yardstick)])


def evaluate_cases(plan: Plan, cases: Sequence[str], lines: Sequence[str] | None = None) -> Results:
    """Return the values of a model under each case, as one batch in the order given.

    Raises
    ------
    UnknownName: no such case.
    """
    return evaluate(plan, [plan.model.changes_of(case) for case in cases], lines)


def compare(results: Results, cases: Sequence[str], figures: Sequence[Figure], yardstick: str) -> Comparison:
    """Return figures by case from an evaluation of those cases, in the same order.

    Raises
    ------
    UnknownName: a figure on an unknown line. ValueError: a yardstick that is not among the cases.
    """
    if yardstick not in cases:
        raise ValueError(f"the yardstick {yardstick} is not among the cases compared")
    return Comparison(tuple(cases), yardstick, tuple(answer(figure, results) for figure in figures))
