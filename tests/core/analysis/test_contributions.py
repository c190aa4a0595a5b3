"""Signed shares add up to the value they explain, for every kind of formula; so do shares of a difference."""

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import REGION, START, calculated, given, plan_of
from tests.kit.strategies import models
from widefork.core.analysis.compare import evaluate_cases
from widefork.core.analysis.explain import Kind, Point, explain, explain_difference
from widefork.core.axes import Dimension, Month
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.finance.assemble import check_plan
from widefork.core.graph.model import Profile
from widefork.core.lines import OverMembers, OverTime, Rollup

RAMP = Profile("ramp", "Ramp", (0.2, 0.5, 1.0))
CUSTOMER = Dimension(
    "customer",
    ("Ada", "Bo", "Cy"),
    attributes={"Ada": {"region": "Coast"}, "Bo": {"region": "Valley"}, "Cy": {"region": "Coast"}},
)
PLAN = plan_of(
    given("kits", {("Coast",): 1, ("Valley",): 2, ("Upland",): 3}, over=("region",)),
    given("orders", {("Ada",): 4, ("Bo",): 5, ("Cy",): 6}, over=("customer",)),
    given("price", {"monthly": {"start": "2026-01", "amounts": [10, 12, 14, 16, 18, 20]}}, opening=8),
    calculated("revenue", "(kits + 1) * price", over=("region",)),
    calculated("total", "sum_over(revenue) - before(price) * 10 % - -5"),
    calculated("lagged", "before(price) + 1"),
    calculated("ahead", "after(price, 2) * 2 + after(price, 9)"),
    calculated("running", "running_total(price) + year_to_date(price) / 2"),
    calculated("ramped_kits", "ramped(kits, ramp) + fading_in(price, ramp)", over=("region",)),
    calculated("open_kits", "outstanding(price, 45) - trailing(price, 3)"),
    calculated("by_region", "sum_by(orders, region) * price", over=("region",)),
    calculated("means", "mean_over(kits) + straight_line(price, 2)"),
    calculated("chosen", "max(price, total / 10) + (if price > 14 then kits at Coast else 7 * price)"),
    calculated("whole", "whole_flow(price / 3) + share_over(kits, region) * 2", over=("region",)),
    calculated("margin", "total / price", rollup=Rollup(OverTime.RATIO, OverMembers.RATIO, "total", "price")),
    profiles=(RAMP,),
    more_dimensions=(CUSTOMER,),
)  # fmt: skip
NAMES = [line.name for line in PLAN.model.lines if not line.is_assumption]


def ask(results, name, members=(), first=START, last=None, batch=0):
    return explain(results, batch, (), name, members, first, last or first, lambda _, value: f"{value:g}")


def assert_adds_up(found):
    if np.isfinite(found.value) and found.kind in (Kind.FORMULA, Kind.MONTHS, Kind.MEMBERS, Kind.RATIO):
        total = sum(entry.amount for entry in found.contributions)
        size = max([1.0, abs(found.value), *(abs(entry.amount) for entry in found.contributions)])
        assert total == pytest.approx(found.value, abs=1e-9 * size), (found.line, found.contributions)


@pytest.mark.parametrize("name", NAMES)
@pytest.mark.parametrize("place", [0, 3, 5])
def test_shares_of_every_kind_of_formula_add_up(name, place):
    results, month = evaluate(PLAN), START.plus(place)
    line = PLAN.model.line(name)
    keys = [(member,) for member in REGION] if line.dimensions else [()]
    for key in keys:
        found = ask(results, name, key, month)
        assert found.contributions
        assert not any(entry.words == "changed directly" for entry in found.contributions)
        assert_adds_up(found)


def test_terms_carry_their_sign_and_factors_and_members_their_name():
    found = ask(evaluate(PLAN), "total", (), Month(2026, 2))
    assert [(entry.words, entry.amount) for entry in found.contributions] == [
        ("sum_over(revenue): Coast", 24),
        ("sum_over(revenue): Valley", 36),
        ("sum_over(revenue): Upland", 48),
        ("before(price) * 10 %", pytest.approx(-1)),
        ("5", 5),
    ]
    assert [part.line for part in found.contributions[3].parts] == ["price"]
    assert [(e.words, e.amount) for e in ask(evaluate(PLAN), "revenue", ("Valley",)).contributions] == [
        ("kits * price", 20),
        ("1 * price", 10),
    ]


def test_what_lies_before_the_start_is_a_share_of_its_own():
    found = ask(evaluate(PLAN), "lagged").contributions
    assert [(entry.words, entry.amount) for entry in found] == [("before(price): before the start", 8), ("1", 1)]


def test_a_choice_names_the_branch_taken_and_how_far_the_others_are():
    early, late = (ask(evaluate(PLAN), "chosen", (), Month(2026, month)) for month in (1, 6))
    assert [entry.note for entry in early.contributions] == [
        "the greatest; total / 10 is 0.58 away",
        "as price > 14 does not hold",
    ]
    assert late.contributions[-1].note == "as price > 14 holds"
    assert late.contributions[-1].words == "kits at Coast"


def test_a_direct_change_of_a_calculated_line_is_its_own_share():
    results = evaluate(PLAN, [[Change("revenue", Operation.ADD, 3, (("region", "Coast"),))]])
    assert ask(results, "revenue", ("Coast",)).contributions[-1].words == "changed directly"
    assert_adds_up(ask(results, "revenue", ("Coast",)))


@law(8)
@forall(models(), st.integers(0, 39))
def test_in_any_model_shares_add_up_and_so_do_shares_of_differences(model, place):
    plan = check_plan(model)
    results = evaluate_cases(plan, ["base", "best"])
    month = model.timeline.start.plus(min(place, model.timeline.month_count - 1))
    for line in plan.model.lines:
        assert_adds_up(ask(results, line.name, (), model.timeline.start, month, batch=1))
        keys = [tuple(d.members[0] for d in plan.model.dimensions_of(line))]
        for key in keys:
            assert_adds_up(ask(results, line.name, key, month, batch=1))
        between = explain_difference(results, line.name, (), Point(0, month, month), Point(1, month, month))
        if np.isfinite(between.after - between.before):
            size = max([1.0, abs(between.after), *(abs(share.amount) for share in between.shares)])
            gap = sum(share.amount for share in between.shares)
            assert gap == pytest.approx(between.after - between.before, abs=1e-8 * size)


def two_months(formula, **assumptions):
    """One line of assumptions that move from January to February."""
    lines = [
        given(name, {"monthly": {"start": "2026-01", "amounts": list(ends)}}) for name, ends in assumptions.items()
    ]
    plan = plan_of(*lines, calculated("result", formula), months=2)
    points = [Point(0, START.plus(place), START.plus(place)) for place in (0, 1)]
    found = explain_difference(evaluate(plan), "result", (), *points)
    return {share.words: share.amount for share in found.shares}


def test_price_and_volume():
    """Price 10 to 12, volume 100 to 130: dP × mean Q and dQ × mean P (Shapley value of a product)."""
    assert two_months("price * volume", price=(10, 12), volume=(100, 130)) == {"price": 230, "volume": 330}


def test_three_drivers():
    """Units 100 to 120, price 10 to 11, margin 40 % to 50 %: constructed, by all orders."""
    shares = two_months("units * price * margin", units=(100, 120), price=(10, 11), margin=(0.4, 0.5))
    assert shares == pytest.approx(
        {"units": 94.66666666666667, "price": 49.666666666666664, "margin": 115.66666666666667}
    )


def test_terms_that_do_not_move_are_left_out_and_divisions_by_zero_keep_the_term_whole():
    assert two_months("a + b * c", a=(1, 1), b=(2, 2), c=(3, 4)) == {"c": 2}
    guarded = "if a = 0 then 0 else 1 / b"
    assert two_months(guarded, a=(0, 1), b=(0, 4)) == {guarded: 0.25}


def test_years_are_compared_month_by_month_and_ratios_by_what_they_divide():
    results = evaluate(PLAN, [(), [Change("price", Operation.SCALE, 1.1)]])
    ends = [Point(batch, START, START.plus(5)) for batch in (0, 1)]
    revenue = explain_difference(results, "revenue", (), *ends)
    assert [share.words for share in revenue.shares] == ["price"]
    assert revenue.shares[0].amount == pytest.approx(revenue.after - revenue.before)
    margin = explain_difference(results, "margin", (), *ends)
    assert {share.line for share in margin.shares} == {"total", "price"}
    assert sum(share.amount for share in margin.shares) == pytest.approx(margin.after - margin.before)
    with pytest.raises(InvalidValue, match="same number of months"):
        explain_difference(results, "revenue", (), ends[0], Point(1, START, START))


def test_means_over_other_months_are_compared_by_the_number_of_months():
    steps = {"steps": {"2026-01": 10, "2026-03": 16, "2026-05": 30}}
    mean = Rollup(OverTime.MEAN)
    plan = plan_of(given("wanted", steps), calculated("level", "wanted + 1", rollup=mean), months=6)
    early, late = Point(0, START, START.plus(1)), Point(0, START.plus(3), START.plus(4))
    found = explain_difference(evaluate(plan), "level", (), early, late)
    assert (found.before, found.after) == (11, 24)  # by hand: (11 + 11) / 2 and (17 + 31) / 2
    assert [(share.words, share.amount) for share in found.shares] == [("wanted", 13)]


def test_an_assumption_differs_because_it_is_given_so():
    results = evaluate(PLAN, [(), [Change("price", Operation.ADD, 1)]])
    found = explain_difference(results, "price", (), *(Point(batch, START, START) for batch in (0, 1)))
    assert [(share.words, share.amount) for share in found.shares] == [("given", 1)]
