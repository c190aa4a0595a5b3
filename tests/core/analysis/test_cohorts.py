"""Cohorts: each joining month by its age's weight; all of them are what the formula language gives. Constructed."""

import numpy as np
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.small import calculated, given, plan_of, series
from widefork.core.analysis.cohorts import cohorts_of
from widefork.core.graph.model import Profile

_CURVES = st.lists(st.floats(0, 1), min_size=1, max_size=6)


@forall(st.lists(st.integers(0, 9), min_size=12, max_size=12), _CURVES)
def test_cohorts_sum_to_the_ramped_total(joins, curve):
    profile = Profile("curve", "Curve", tuple(curve))
    plan = plan_of(
        given("hires", {"monthly": {"start": "2026-01", "amounts": joins}}),
        calculated("able", "ramped(hires, curve)"), months=12, profiles=(profile,),
    )  # fmt: skip
    cohorts = cohorts_of(np.array(joins, dtype=float), curve)
    assert [cohort.place for cohort in cohorts] == [place for place, count in enumerate(joins) if count]
    total = np.sum([cohort.values for cohort in cohorts], axis=0) if cohorts else np.zeros(12)
    np.testing.assert_allclose(total, series(plan, "able"), atol=1e-9)


def test_a_cohort_may_count_in_money():
    cohort = cohorts_of(np.array([0.0, 2.0, 0.0]), (0.5, 1.0), np.array([10.0, 20.0, 30.0]))[0]
    assert cohort.values.tolist() == [0, 2 * 0.5 * 20, 2 * 30]
    assert (cohort.place, cohort.joined) == (1, 2)
