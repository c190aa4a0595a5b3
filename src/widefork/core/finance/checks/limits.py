"""Limits on their test dates: covenants with their headroom, and the user's own “must lie between”."""

from collections.abc import Iterator
from dataclasses import dataclass
from math import isfinite

from widefork.core.axes import Month, Period
from widefork.core.finance.checks.check import Check, Checked, Finding
from widefork.core.finance.statements.ratios import RATIOS
from widefork.core.graph.model import Limit, Rhythm
from widefork.core.graph.rollup import roll_up

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
    timeline = checked.results.plan.model.timeline
    first = limit.first or timeline.first_plan
    months = [Period(str(month), month.label, month, month) for month in checked.months]
    values = roll_up(checked.results, limit.line, months)[:, case]
    judged_by = _JUDGED_BY.get(limit.line) if limit.least is None else None
    judges = roll_up(checked.results, judged_by, months)[:, case] if judged_by else None
    tests = []
    for place, month in enumerate(checked.months):
        fiscal = timeline.fiscal_month(month)
        is_due = {Rhythm.MONTH: True, Rhythm.QUARTER: fiscal % 3 == 0, Rhythm.YEAR: fiscal == 12}[limit.tested]
        if month < first or not is_due:
            continue
        value = float(values[place])
        room = [value - limit.least] if limit.least is not None else []
        room += [limit.most - value] if limit.most is not None else []
        kept = judges is not None and bool(judges[place] <= 0)
        tests.append(LimitTest(month, value, min(room), kept))
    return tuple(tests)


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
