"""The demo company ties, and shows what the product can do; its story is told in test_story.py."""

import numpy as np
import pytest

from widefork.core.analysis.compare import evaluate_cases
from widefork.core.changes import Switch, moved
from widefork.core.engine import evaluate
from widefork.core.graph.rollup import roll_up
from widefork.core.patterns import PATTERNS

CASES = ("base", "best", "worst", "worst_met")


@pytest.fixture(scope="module")
def results(demo_plan):
    return evaluate_cases(demo_plan, CASES)


def test_it_balances_in_every_month_of_every_case(results):
    assert np.abs(results.values("balance_difference")).max() < 1e-6
    assert np.abs(results.values("cash_difference")).max() < 1e-6


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
    assert gained[12] == 0
    assert gained[14] == pytest.approx(3, abs=0.1)
    later = moved(move, Switch("second_lab", move.start.plus(2)))
    heads = evaluate(demo_plan, [(), later]).values("staff_heads").sum(axis=0)
    assert (heads[:, 1] - heads[:, 0])[14] == 0
    assert (heads[:, 1] - heads[:, 0])[16] == pytest.approx(3, abs=0.1)
