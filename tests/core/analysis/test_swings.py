from dataclasses import replace

import pytest

from tests.kit.small import calculated, given, plan_of
from widefork.core.analysis.sensitivity import Way, first_share_that_moves, rank_swings
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.core.look import PlausibleRange

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


def test_a_share_goes_up_to_the_whole_and_no_further():
    # 95 % can rise by 5.26 % of itself; a rate a year and a mark-up above the whole are no parts of anything
    lines = (
        given("full", 0.95, unit="%"), given("rate", 0.95, unit="% a year"), given("mark_up", 1.5, unit="%"),
        given("half", 0.5, unit="%"), calculated("all", "(full + rate + mark_up + half) * 100"),
    )  # fmt: skip
    found = rank_swings(plan_of(*lines, months=1), (), Figure("a", "A", "all"), 0.1)
    by_name = {swing.line: swing for swing in found.ranked}
    assert by_name["full"].raised_by == pytest.approx(1 / 0.95 - 1)
    assert by_name["full"].up == pytest.approx(5)
    assert by_name["full"].down == pytest.approx(-9.5)
    assert {name: swing.raised_by for name, swing in by_name.items() if name != "full"} == {
        "rate": 0.1, "mark_up": 0.1, "half": 0.1,
    }  # fmt: skip


def test_from_which_share_on_a_figure_moves_is_found():
    lines = (given("kits", 100), calculated("late", "if kits < 70 then 1 else 0"))
    plan, figure = plan_of(*lines, months=3), Figure("l", "L", "late")
    assert rank_swings(plan, (), figure, 0.1).ranked == ()
    assert rank_swings(plan, (), figure, 0.1).without_effect == ("kits",)
    assert first_share_that_moves(plan, (), figure, 0.1) == 0.4
    assert (
        first_share_that_moves(
            plan, (), Figure("n", "N", "kits", (), None, None, Reduction.MONTH_COUNT, Comparison.ABOVE, 300.0), 0.1
        )
        is None
    )


def ranged(name, document, low, likely, high, is_relative=False, **more):
    return replace(given(name, document, **more), plausible=PlausibleRange(low, likely, high, is_relative))


def test_each_is_moved_within_its_own_range_and_those_without_are_named():
    rising = {"points": {"2026-01": 10, "2026-02": 20}}
    lines = (
        ranged("alike", 10, 8, 10, 11), ranged("rising", rising, 9, 10, 12), ranged("shared", 10, -0.5, 0, 0.1, True),
        ranged("nothing", 0, 1, 2, 3), ranged("none_of", 0, -0.5, 0, 0.5, True), given("open", 10),
        calculated("all", "alike + rising + shared + nothing + none_of + open"),
    )  # fmt: skip
    found = rank_swings(plan_of(*lines, months=2), (), Figure("a", "A", "all"), way=Way.RANGE)
    ends = {swing.line: (swing.down, swing.up) for swing in found.ranked}
    assert ends == {
        "shared": (pytest.approx(-10), pytest.approx(2)),
        "rising": (pytest.approx(-3), pytest.approx(6)),  # 0.9 and 1.2 times 10 and 20
        "nothing": (2, 6),
        "alike": (-4, 2),
    }
    assert (found.without_range, found.zero) == (("open",), ("none_of",))


def test_one_unit_is_a_percentage_point_of_a_share():
    lines = (given("kits", 100), given("share", 0.5, unit="%"), calculated("all", "kits * share"))
    found = rank_swings(plan_of(*lines, months=1), (), Figure("a", "A", "all"), way=Way.UNIT)
    assert [(swing.line, swing.down, swing.up) for swing in found.ranked] == [
        ("share", pytest.approx(-1), pytest.approx(1)), ("kits", -0.5, 0.5),
    ]  # fmt: skip
