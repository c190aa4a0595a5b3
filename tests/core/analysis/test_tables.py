"""Tables of one and two levers, and elasticities: constructed examples with closed forms."""

import numpy as np
import numpy_financial as npf
import pytest

from tests.kit.small import calculated, given, plan_of
from widefork.core.analysis.lever import Lever, Together
from widefork.core.analysis.sensitivity import elasticities, one_way, rank_swings, two_way
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure, Reduction

PROFIT = plan_of(
    given("price", 50), given("unit_cost", 30), given("volume", 1000), given("fixed", 12000), given("apart", 1),
    calculated("profit", "(price - unit_cost) * volume - fixed"),
    months=1,
)  # fmt: skip
FIGURE = Figure("profit", "Profit", "profit")


def test_swings_in_order_of_their_width():
    """Profit 8,000, each input ±10 % (constructed)."""
    found = rank_swings(PROFIT, (), FIGURE, 0.1).ranked
    assert [swing.line for swing in found] == ["price", "unit_cost", "volume", "fixed"]
    assert [min(s.lowered, s.raised) for s in found] == pytest.approx([3000, 5000, 6000, 6800])
    assert [max(s.lowered, s.raised) for s in found] == pytest.approx([13000, 11000, 10000, 9200])


def test_elasticities():
    """Of the same profit, by calculus: x / profit × d profit / dx."""
    found = {entry.line: entry.value for entry in elasticities(PROFIT, (), FIGURE)}
    assert found == pytest.approx({"price": 6.25, "unit_cost": -3.75, "volume": 2.5, "fixed": -1.5}, abs=1e-6)
    assert [*found] == ["price", "unit_cost", "volume", "fixed"]


def test_the_elasticity_of_nothing_is_no_number():
    (first, *_) = elasticities(PROFIT, [Change("fixed", Operation.SET, 20000)], FIGURE)
    assert np.isnan(first.value)


def present_value():
    return plan_of(
        given("flow", 300), given("rate", 0.1),
        calculated("value", "if month_number = 1 then -1000 else flow / (1 + rate) ^ (month_number - 1)"),
    )  # fmt: skip


def test_a_table_of_two_levers():
    """Net present value of −1000 and five equal flows: agrees with numpy-financial."""
    flows, rates = (250, 300, 350), (0.08, 0.10, 0.12)
    figure = Figure("npv", "NPV", "value", reduction=Reduction.SUM)
    found = two_way(present_value(), (), figure, (Lever("flow"), flows), (Lever("rate"), rates))
    expected = [[npf.npv(rate, [-1000, *[flow] * 5]) for rate in rates] for flow in flows]
    assert found == pytest.approx(np.array(expected), abs=1e-6)
    assert found[1][1] == pytest.approx(137.23603082253447, abs=1e-6)
    with pytest.raises(InvalidValue, match="down and across"):
        two_way(present_value(), (), figure, (Lever("flow"), flows), (Lever("flow"), flows))


def test_a_table_of_one_lever_and_of_several_together():
    doubled = Figure("top", "Top", "volume")
    found = one_way(PROFIT, (), [FIGURE, doubled], Lever("volume", Operation.SCALE), [1, 2])
    assert found.tolist() == [[8000, 28000], [1000, 2000]]
    both = Together(((Lever("price"), 50, 60), (Lever("volume", is_whole=True), 1000, 901)))
    assert one_way(PROFIT, (), [FIGURE], both, [0, 0.5, 1]).tolist() == [[8000, 25 * 951 - 12000, 30 * 901 - 12000]]
