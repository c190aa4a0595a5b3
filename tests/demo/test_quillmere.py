"""The demo company tells the story it is meant to tell; every number here is invented, the sentences are the point."""

import numpy as np
import pytest

from widefork.core.analysis.compare import compare, evaluate_cases
from widefork.core.analysis.waterline import read_waterline
from widefork.core.axes import Month
from widefork.core.engine import evaluate
from widefork.core.graph.rollup import roll_up
from widefork.core.patterns import PATTERNS

CASES = ("base", "best", "worst")


@pytest.fixture(scope="module")
def results(demo_plan):
    return evaluate_cases(demo_plan, CASES)


def figure(demo_plan, results, name):
    return compare(results, CASES, [demo_plan.model.figure(name)], "base").answers[0]


def test_it_balances_in_every_month_of_every_case(results):
    assert np.abs(results.values("balance_difference")).max() < 1e-6
    assert np.abs(results.values("cash_difference")).max() < 1e-6


def test_actuals_run_to_june_2026_and_the_plan_to_december_2028(demo_plan):
    timeline = demo_plan.model.timeline
    assert (timeline.last_actual, timeline.end, timeline.actual_count, timeline.month_count) == (
        Month(2026, 6), Month(2028, 12), 6, 36,
    )  # fmt: skip


def test_24_heads_in_june_2026(results):
    assert results.series("headcount")[5] == pytest.approx(24, abs=0.5)


def test_base_breaks_even_on_the_running_total_in_late_2027(demo_plan, results):
    month = figure(demo_plan, results, "break_even").months[0]
    assert Month(2027, 9) < month <= Month(2027, 12)
    assert (results.series("profit_so_far")[22:] > 0).all()


def test_worst_goes_under_the_waterline_for_some_months_of_2027_although_the_year_end_looks_healthy(results):
    reading = read_waterline(results, 2)
    assert reading.is_short
    assert Month(2027, 1) <= reading.first_under < reading.back_above <= Month(2027, 12)
    assert 2 <= reading.months_under <= 8
    assert results.series("cash_after_overdraft", (), 2)[23] > 25_000
    assert not read_waterline(results, 0).is_short
    assert not read_waterline(results, 1).is_short


def test_best_needs_more_people_than_it_can_ramp(results):
    assert results.series("analysts_short", (), 0).max() == 0
    assert results.series("analysts_short", (), 1).max() > 4
    assert results.series("kit_share", (), 1).min() < 0.8


def test_best_doubles_kit_demand_over_a_ramp_of_six_months_and_prices_hold(results):
    ordered = results.values("kits_ordered").sum(axis=0)
    assert (ordered[19:, 1] / ordered[19:, 0]).tolist() == pytest.approx([2] * 17)
    ramp = (ordered[14:20, 1] / ordered[14:20, 0]).tolist()
    assert ramp == sorted(ramp)
    assert ramp[0] < 1.2
    np.testing.assert_array_equal(results.values("kit_price")[..., 0], results.values("kit_price")[..., 1])


def test_worst_is_made_of_a_lapse_late_payers_and_a_dry_summer(results):
    assert results.series("panels_done", (), 2)[9:14].tolist() == [0] * 5
    for days, usual in (("kit_customers_days", 47), ("municipal_days", 75)):
        assert (results.series(days, (), 0)[-1], results.series(days, (), 2)[-1]) == (usual, usual + 20)
    ordered = results.values("kits_ordered").sum(axis=0)
    recovery = (ordered[6:12, 2] / ordered[6:12, 0]).tolist()
    assert recovery[0] == pytest.approx(0.5)
    assert np.diff(recovery).min() > -1e-9


def test_years_add_up_from_their_months(demo_plan, results):
    years = roll_up(results, "revenue", demo_plan.model.timeline.fiscal_years())
    assert years.sum(axis=0) == pytest.approx(results.values("revenue").sum(axis=0))


def test_it_sells_in_at_least_eight_ways_each_written_by_a_pattern(demo_plan):
    written = {f"from {pattern.label.lower()}" for pattern in PATTERNS}
    used = [section.note for section in demo_plan.model.sections if section.note in written]
    assert len(used) == len(set(used)) >= 8


def test_top_down_and_bottom_up_check_one_another(demo_plan, results):
    years = demo_plan.model.timeline.fiscal_years()
    implied = roll_up(results, "market_implied", years)
    # the share the plan takes of the market grows year by year, and is flagged where it passes the limit
    assert (np.diff(implied[:, 0]) > 0).all()
    limit = next(one for one in demo_plan.model.limits if one.line == "market_implied")
    assert implied.max() < limit.most < 1
    # and the other way round: the share expected, as revenue and as customers
    expected = results.series("market_reachable") * results.series("market_share")
    assert results.series("market_expected") == pytest.approx(expected)
    assert results.series("market_customers") == pytest.approx(results.series("revenue") / 390)


def test_seats_of_the_second_lab_count_where_it_is_switched_on(demo_plan):
    move = demo_plan.model.move_by_name["second_lab"]
    heads = evaluate(demo_plan, [(), move.changes]).values("staff_heads").sum(axis=0)
    gained = heads[:, 1] - heads[:, 0]
    assert gained[14] == 0
    assert gained[16] == pytest.approx(3, abs=0.1)
