"""Every line a pattern or a schedule writes: a total of it is one, or there is none."""

import numpy as np
import pytest

from tests.core.finance.sample import example
from tests.core.patterns.test_patterns import written
from widefork.core.axes import Period
from widefork.core.changes import ByHand, Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import ChangeRefused
from widefork.core.finance.schedules import SCHEDULES
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import NO_TOTAL, OverMembers, OverTime, Rollup
from widefork.core.patterns import PATTERNS

PLANS = [*((kind.name, "pattern") for kind in PATTERNS), *((name, "schedule") for name in SCHEDULES.names)]
A_MONTHS = ("/month", "/year")
"""Units of recurring revenue: what is won in each of twelve months adds up."""


def plan_of(name, what):
    if what == "schedule":
        return example(name)
    return written(name, **({"by": "region"} if PATTERNS[name].spreads else {}))


def uneven(plan):
    """Changes that give every assumption other values in every month and for every member."""
    timeline = plan.model.timeline
    found = []
    for line in plan.model.lines:
        if not line.is_assumption:
            continue
        try:
            plan.check_changeable(line.name)
        except ChangeRefused:
            continue
        months = tuple(1 - 0.01 * place for place in range(timeline.month_count))
        found.append(Change(line.name, Operation.SCALE, first=timeline.start, course=ByHand(months)))
        for dimension in plan.model.dimensions_of(line):
            found += [
                Change(line.name, Operation.SCALE, 1 - 0.05 * place, ((dimension.name, member),))
                for place, member in enumerate(dimension)
            ]
    return found


@pytest.mark.parametrize(("name", "what"), PLANS)
def test_no_total_misleads(name, what):
    plan = plan_of(name, what)
    results = evaluate(plan, [uneven(plan)])
    timeline = plan.model.timeline
    year = Period("all", "All", timeline.start, timeline.start.plus(11))
    own = [line for line in plan.model.lines if line.name.startswith("it_")]
    assert own or name == "own_terms"  # which says how the user's own lines are paid
    for line in own:
        rollup = line.rollup
        assert rollup.over_time is not OverTime.MEAN, line.name
        assert rollup.over_members is not OverMembers.MEAN, line.name
        if Rollup.default(line.unit) != NO_TOTAL or line.unit.endswith(A_MONTHS):
            continue
        assert rollup.over_time is not OverTime.SUM, f"{line.name} in {line.unit} adds up over months"
        if rollup.over_time is OverTime.RATIO:
            below = plan.model.line(rollup.denominator)
            if not below.is_flow or not results.values(below.name).all():
                continue  # a year's cost over the heads at its end, or a cost that nothing was done for
        values = results.values(line.name)[..., 0]
        for key in plan.model.keys_of(line):
            places = tuple(d.index(m) for d, m in zip(plan.model.dimensions_of(line), key, strict=True))
            lies_within(roll_up(results, line.name, [year], key)[0, 0], values[places][:12], line)
        if line.dimensions and rollup.over_members is not OverMembers.SUM:
            for month in timeline.months[:12]:
                found = roll_up(results, line.name, [Period("", "", month, month)])[0, 0]
                lies_within(found, values[..., timeline.index(month)], line)


def lies_within(total, parts, line):
    """A total of prices, shares or rates lies between the least and the greatest of them, or is not there."""
    if np.isfinite(total):
        size = 1e-9 * max(1.0, float(np.abs(parts).max()))
        assert parts.min() - size <= total <= parts.max() + size, line.name
