"""Totals: what parts come to, and that they come to nothing where nothing says what weighs them. Constructed."""

import numpy as np
import pytest

from tests.kit.small import calculated, given, plan_of
from widefork.core.axes import Month, Period
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import NO_TOTAL, OverMembers, OverTime, Rollup

WHOLE = Period("all", "All", Month(2026, 1), Month(2026, 2))
JANUARY = Period("jan", "Jan", Month(2026, 1), Month(2026, 1))
PRICES = {("Coast",): {"steps": {"2026-01": 10, "2026-02": 20}}, ("Valley",): 30, ("Upland",): 30}
SOLD = {("Coast",): 1, ("Valley",): {"steps": {"2026-01": 1, "2026-02": 3}}, ("Upland",): 0}


def total(plan, name, members=(), period=WHOLE, changes=()):
    return float(roll_up(evaluate(plan, [changes]), name, [period], members)[0, 0])


def prices(rollup):
    return plan_of(
        given("price", PRICES, over=("region",), rollup=rollup),
        given("sold", SOLD, over=("region",)),
        months=2,
    )


def test_a_price_is_weighed_by_what_is_sold_at_it_over_members_and_months():
    plan = prices(Rollup.weighted("sold"))
    assert total(plan, "price", ("Coast",)) == pytest.approx((10 + 20) / 2)
    assert total(plan, "price", (), JANUARY) == pytest.approx((10 + 30) / 2)
    assert total(plan, "price") == pytest.approx((10 + 20 + 30 + 3 * 30) / 6)
    assert total(plan, "price", ("Upland",)) == 30  # nothing sold, but one price all along


def test_without_any_weight_parts_that_differ_have_no_total():
    plan = plan_of(
        given("price", PRICES, over=("region",), rollup=Rollup.weighted("sold")), given("sold", 0, over=("region",)),
        months=2,
    )  # fmt: skip
    assert np.isnan(total(plan, "price"))
    assert np.isnan(total(plan, "price", ("Coast",)))
    assert total(plan, "price", ("Valley",)) == 30


def test_what_has_no_total_shows_what_all_of_it_says_and_nothing_else():
    plan = prices(NO_TOTAL)
    assert np.isnan(total(plan, "price", ("Coast",)))
    assert total(plan, "price", ("Valley",)) == 30
    assert np.isnan(total(plan, "price", (), JANUARY))
    assert total(plan_of(given("price", 7, over=("region",), rollup=NO_TOTAL), months=2), "price") == 7


def test_shares_add_up_over_members_while_months_that_differ_have_no_total():
    rollup = Rollup(OverTime.NONE, OverMembers.SUM)
    plan = plan_of(given("share", {("Coast",): 0.5, ("Valley",): 0.3, ("Upland",): 0.2}, over=("region",),
                         rollup=rollup), months=2)  # fmt: skip
    assert total(plan, "share") == pytest.approx(1)


def test_a_combination_that_does_not_exist_is_no_part():
    plan = plan_of(
        given("price", {("Coast",): 5, ("Valley",): 5}, over=("region",), rollup=NO_TOTAL, absent=(("Upland",),)),
        months=2,
    )
    assert total(plan, "price") == 5


def test_a_ratio_a_change_acts_on_counts_in_the_plan_with_what_it_says():
    """By hand: January is history, 30 of 100; from February the plan says 40 % of 50 and of 150."""
    ratio = Rollup(OverTime.RATIO, OverMembers.RATIO, "profit", "revenue")
    plan = plan_of(
        given("revenue", {"steps": {"2026-01": 100, "2026-02": 50, "2026-03": 150}}), given("profit", 30),
        calculated("margin", "profit / revenue", unit="%", rollup=ratio), months=3, actual_to=Month(2026, 1),
    )  # fmt: skip
    period = Period("all", "All", Month(2026, 1), Month(2026, 3))
    assert total(plan, "margin", (), period) == pytest.approx(90 / 300)
    adjusted = [Change("margin", Operation.SET, 0.4)]
    assert total(plan, "margin", (), period, adjusted) == pytest.approx((30 + 0.4 * 50 + 0.4 * 150) / 300)
    assert total(plan, "margin", (), JANUARY, adjusted) == pytest.approx(0.3)


def test_a_batch_keeps_entries_that_are_adjusted_and_others_apart():
    ratio = Rollup(OverTime.RATIO, OverMembers.RATIO, "profit", "revenue")
    plan = plan_of(
        given("revenue", {("Coast",): 100, ("Valley",): 300, ("Upland",): 0}, over=("region",)),
        given("profit", {("Coast",): 50, ("Valley",): 30, ("Upland",): 0}, over=("region",)),
        calculated("margin", "if revenue = 0 then 0 else profit / revenue", unit="%", over=("region",), rollup=ratio),
        months=2,
    )  # fmt: skip
    coast = Change("margin", Operation.SET, 0.1, (("region", "Coast"),))
    found = roll_up(evaluate(plan, [(), (coast,)]), "margin", [WHOLE])[0]
    assert found.tolist() == pytest.approx([80 / 400, (0.1 * 100 + 30) / 400])
