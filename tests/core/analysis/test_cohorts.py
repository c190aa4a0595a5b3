"""Cohorts: each joining month by its age's weight; all of them are what the formula language gives. Constructed."""

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import START, calculated, given, plan_of, series
from widefork.core.analysis.cohorts import cohorts_of, flows_in, unfold
from widefork.core.axes import Grain
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.graph.model import Profile
from widefork.core.lines import BALANCE, Rollup

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


def kept(share, months=24, **more):
    """Customers of whom a share leaves each month; what comes in joins them at once."""
    return plan_of(
        given("joined", {"monthly": {"start": "2026-01", "amounts": [7.0, 0, 3, 5] * (months // 4)}}, unit="customers"),
        given("share", share),
        calculated("left", "before(customers) * share", unit="customers"),
        calculated("customers", "before(customers) + joined - left", unit="customers", rollup=BALANCE, opening=100),
        calculated("fees", "customers * 12", unit="EUR"),
        calculated("per_head", "fees / customers", unit="EUR/customer", rollup=Rollup.default("EUR/customer")),
        *more.pop("lines", ()),
        months=months, **more,
    )  # fmt: skip


def test_customers_unfold_by_the_month_they_came_in():
    """Recomputed in plain loops: of those who join in a month, 90 % of the rest are there a month later."""
    found = unfold(kept(0.1), (), "joined", "fees")
    came = [7.0, 0, 3, 5] * 6
    assert [(one.period.label, one.joined) for one in found.cohorts[:3]] == [
        ("Jan 26", 7),
        ("Mar 26", 3),
        ("Apr 26", 5),
    ]
    for one in found.cohorts:
        place = one.period.first.ordinal - START.ordinal
        expected = [0.0] * place + [came[place] * 0.9**age * 12 for age in range(24 - place)]
        assert one.values.tolist() == pytest.approx(expected)
    assert found.before.tolist() == pytest.approx([100 * 0.9 ** (month + 1) * 12 for month in range(24)])


@law(30)
@forall(st.sampled_from(list(Grain)), st.integers(0, 23), st.floats(0, 1), st.floats(0, 200))
def test_cohorts_and_the_rest_add_up_whatever_limits_stand_between(grain, last, share, most):
    capped = calculated("served", f"min(customers, {most:.3f})", unit="customers", rollup=BALANCE)
    plan = kept(share, lines=(capped, calculated("whole", "whole_flow(served)", unit="visits")))
    for line in ("customers", "served", "whole", "fees"):
        found = unfold(plan, (), "joined", line, grain, START.plus(last))
        together = np.sum([one.values for one in found.cohorts], axis=0)
        np.testing.assert_allclose(found.before + together, found.total, atol=1e-9)
        np.testing.assert_array_equal(found.total, series(plan, line))
        assert sum(one.joined for one in found.cohorts) == 90


def test_history_stays_and_those_after_the_view_are_one_cohort():
    plan = kept(0.1, actual_to=START.plus(5))
    found = unfold(plan, (), "joined", "customers", Grain.MONTH, START.plus(8))
    assert [one.period.label for one in found.cohorts] == ["Jul 26", "Aug 26", "Sep 26", "later"]
    np.testing.assert_allclose(found.before[:6], found.total[:6])


def test_a_case_unfolds_with_its_changes():
    change = Change("joined", Operation.SCALE, 2.0, first=START.plus(2))
    found = unfold(kept(0.1), [change], "joined", "customers")
    assert [one.joined for one in found.cohorts[:3]] == [7, 6, 10]


@pytest.mark.parametrize(
    ("flow", "line", "said"),
    [
        ("customers", "fees", "is a level, not a flow"),
        ("joined", "per_head", "ratio or an average"),
        ("left", "joined", "does not depend on"),
        ("joined", "nothing", "nothing"),
    ],
)
def test_what_cannot_be_unfolded_is_said(flow, line, said):
    with pytest.raises((InvalidValue, UnknownName), match=said):
        unfold(kept(0.1), (), flow, line)


def test_flows_that_come_in_are_found_and_those_that_leave_or_renew_are_not(demo_plan):
    assert list(flows_in(kept(0.1))) == [("joined", "customers")]
    found = dict(flows_in(demo_plan))
    assert found["watchpoint_joined"] == "watchpoint_customers"
    assert found["staff_hires"] == "staff_ramped"
    assert not {"watchpoint_churned", "watchpoint_renewed", "staff_left", "kits_sold"} & found.keys()
