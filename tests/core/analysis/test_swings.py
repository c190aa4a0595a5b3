import pytest

from tests.kit.small import calculated, given, plan_of
from widefork.core.analysis.sensitivity import rank_swings
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure

PROFIT = (
    given("price", 50), given("unit_cost", 30), given("volume", 1000), given("fixed", 12000),
    given("nothing", 0), given("apart", 3),
    calculated("profit", "(price - unit_cost) * volume - fixed + nothing"),
)  # fmt: skip


def test_assumptions_are_ranked_by_their_effect():
    # constructed: profit = (50 - 30) * 1000 - 12000 = 8000, each input moved by 10 %
    found = rank_swings(plan_of(*PROFIT, months=1), (), Figure("p", "P", "profit"), 0.1)
    assert [swing.line for swing in found.ranked] == ["price", "unit_cost", "volume", "fixed"]
    assert [min(s.lowered, s.raised) for s in found.ranked] == pytest.approx([3000, 5000, 6000, 6800])
    assert [max(s.lowered, s.raised) for s in found.ranked] == pytest.approx([13000, 11000, 10000, 9200])
    assert (found.zero, found.apart) == (("nothing",), ("apart",))


def test_actual_months_do_not_swing():
    plan = plan_of(*PROFIT, months=4, actual_to=Month(2026, 3))
    assert rank_swings(plan, (), Figure("p", "P", "profit"), 0.1).ranked[0].up == pytest.approx(5000)


@pytest.mark.parametrize("share", [0, -0.1, 1.5])
def test_shares_out_of_range_are_refused(share):
    with pytest.raises(InvalidValue, match="above 0 % and at most 100 %"):
        rank_swings(plan_of(*PROFIT), (), Figure("p", "P", "profit"), share)


def test_every_demo_assumption_is_accounted_for(demo_plan):
    found = rank_swings(demo_plan, (), demo_plan.model.figure("lowest_cash"))
    named = [swing.line for swing in found.ranked] + list(found.without_effect + found.zero + found.apart)
    assert sorted(named) == sorted(line.name for line in demo_plan.model.lines if line.is_assumption)
    widths = [swing.width for swing in found.ranked]
    assert widths == sorted(widths, reverse=True)
