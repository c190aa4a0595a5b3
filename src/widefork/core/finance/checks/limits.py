"""Limits on their test dates: covenants with their headroom, and the user's own “must lie between”."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from math import isfinite

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Month, Period, Timeline
from widefork.core.finance.checks.check import Check, Checked, Finding
from widefork.core.finance.statements.ratios import RATIOS
from widefork.core.graph.calculate import Results
from widefork.core.graph.model import Limit, Rhythm
from widefork.core.graph.rollup import roll_up

Values = NDArray[np.float64]

_JUDGED_BY = {ratio.name: ratio.judged_by for ratio in RATIOS if ratio.judged_by}


@dataclass(frozen=True)
class LimitTest:
    """A limit on one date in one case.

    Parameters
    ----------
    value : of the line, in its unit; NaN for none. headroom : what is left to the nearer bound, in the line's unit;
        negative where it is crossed; NaN where there is no value.
    is_kept_without : an upper limit of a ratio without a value is kept all the same, as net cash keeps one on debt.
    """

    month: Month
    value: float
    headroom: float
    is_kept_without: bool = False

    @property
    def holds(self) -> bool:
        """Whether the limit is kept."""
        return self.headroom >= 0 if isfinite(self.headroom) else self.is_kept_without


def limit_tests(checked: Checked, limit: Limit, case: int) -> tuple[LimitTest, ...]:
    """Return a limit's tests in a case, one for each of its dates."""
    months = limit_dates(checked.results.plan.model.timeline, limit)
    values, headroom, without = (found[:, case] for found in _tested(checked.results, limit, months))
    tests = zip(months, values.tolist(), headroom.tolist(), without.tolist(), strict=True)
    return tuple(LimitTest(month.first, value, room, kept) for month, value, room, kept in tests)


def limit_kept(results: Results, limit: Limit) -> NDArray[np.bool_]:
    """Return whether a limit is kept on each of its dates in the plan, shape (dates, batch)."""
    timeline = results.plan.model.timeline
    _, headroom, without = _tested(
        results, limit, limit_dates(timeline, limit, timeline.months[timeline.actual_count :])
    )
    return np.where(np.isfinite(headroom), headroom >= 0, without)


def lines_of_limit(limit: Limit) -> tuple[str, ...]:
    """Return the lines a limit is told by: its own, and what judges a ratio without a value."""
    judged_by = _JUDGED_BY.get(limit.line) if limit.least is None else None
    return (limit.line, judged_by) if judged_by else (limit.line,)


def limit_dates(timeline: Timeline, limit: Limit, months: Sequence[Month] | None = None) -> list[Period]:
    """Return the months a limit is tested in, among those given or all of the timeline's."""
    first, every = limit.first or timeline.first_plan, {Rhythm.MONTH: 1, Rhythm.QUARTER: 3, Rhythm.YEAR: 12}
    among = timeline.months if months is None else months
    due = [m for m in among if m >= first and timeline.fiscal_month(m) % every[limit.tested] == 0]
    return [Period(str(month), month.label, month, month) for month in due]


def _tested(results: Results, limit: Limit, months: Sequence[Period]) -> tuple[Values, Values, NDArray[np.bool_]]:
    """Values, headroom and what is kept without a value, each of shape (dates, batch)."""
    if not months:
        nothing = np.empty((0, results.batch))
        return nothing, nothing, nothing.astype(bool)
    values = roll_up(results, limit.line, months)
    rooms = [values - limit.least] if limit.least is not None else []
    rooms += [limit.most - values] if limit.most is not None else []
    judged_by = lines_of_limit(limit)[1:]
    without = roll_up(results, judged_by[0], months) <= 0 if judged_by else np.zeros(values.shape, dtype=bool)
    return values, np.minimum.reduce(rooms), without


def _find(checked: Checked, covenants: bool) -> Iterator[Finding]:
    for limit in checked.results.plan.model.limits:
        if limit.is_covenant != covenants:
            continue
        for place, case in enumerate(checked.cases):
            broken = [test for test in limit_tests(checked, limit, place) if not test.holds]
            if broken:
                worst = min(broken, key=lambda test: test.headroom if isfinite(test.headroom) else float("-inf"))
                what = f"{limit.label} is not kept on {len(broken)} of its dates, furthest in {worst.month.label}."
                yield Finding(case, broken[0].month, worst.headroom, what, limit.line)


def _covenants(checked: Checked) -> Iterator[Finding]:
    return _find(checked, covenants=True)


def _own(checked: Checked) -> Iterator[Finding]:
    return _find(checked, covenants=False)


COVENANTS = Check("covenants", "Covenants", "Every covenant is kept on its dates.", _covenants, is_of_plan=True)
OWN = Check("own", "Your own limits", "Every line lies between what you said.", _own, is_of_plan=True)
