"""A rule for values that were edited: the same kind where it can still say them, else steps or month by month."""

import numpy as np

from widefork.core.axes import Timeline
from widefork.core.rules.flat import Flat
from widefork.core.rules.monthly import Monthly
from widefork.core.rules.one_off import OneOff
from widefork.core.rules.rule import Rule, Values
from widefork.core.rules.steps import Steps

MOST_STEPS = 6
"""Up to so many steps a phrase still reads well; beyond, the months speak for themselves."""


def refit(rule: Rule, timeline: Timeline, values: Values) -> Rule:
    """Return a rule that gives exactly ``values``.

    Parameters
    ----------
    rule : the rule before the edit; its kind is kept where possible.
    values : shape (months,), in the line's unit.

    Examples
    --------
    >>> from widefork.core.axes import Month
    >>> refit(Flat(5.0), Timeline(Month(2026, 1), 3), np.array([5.0, 7.0, 7.0])).document()
    {'2026-01': 5, '2026-02': 7}
    """
    pairs = list(zip(timeline.months, (float(value) for value in values), strict=True))
    if np.array_equal(values, rule.values(timeline)):
        return rule
    if isinstance(rule, OneOff):
        return OneOff(tuple(pair for pair in pairs if pair[1] != 0) or ((timeline.start, 0.0),))
    if isinstance(rule, Flat | Steps) and np.all(values == values[0]):
        return Flat(float(values[0]))
    starts = [place for place in range(len(pairs)) if place == 0 or pairs[place][1] != pairs[place - 1][1]]
    if isinstance(rule, Flat | Steps) or len(starts) <= MOST_STEPS:
        return Steps(tuple(pairs[place] for place in starts))
    return Monthly(timeline.start, tuple(value for _, value in pairs))
