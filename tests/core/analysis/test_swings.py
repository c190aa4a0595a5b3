from dataclasses import replace

import numpy as np
import pytest

from tests.kit.small import calculated, given, plan_of
from widefork.core.analysis.sensitivity import Way, first_share_that_moves, prepare_swings, rank_swings
from widefork.core.axes import Month
from widefork.core.engine import evaluate
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
    assert ([moved.key for moved in found.zero], found.apart) == (["nothing"], ("apart",))


def test_actual_months_do_not_swing():
    plan = plan_of(*PROFIT, months=4, actual_to=Month(2026, 3))
    assert rank_swings(plan, (), Figure("p", "P", "profit"), 0.1).ranked[0].up == pytest.approx(5000)


@pytest.mark.parametrize("share", [0, -0.1, 1.5])
def test_shares_out_of_range_are_refused(share):
    with pytest.raises(InvalidValue, match="above 0 % and at most 100 %"):
        rank_swings(plan_of(*PROFIT), (), Figure("p", "P", "profit"), share)


def test_every_demo_assumption_is_accounted_for(demo_plan):
    found = rank_swings(demo_plan, (), demo_plan.model.figure("lowest_cash"))
    moved = [swing.moved for swing in found.ranked] + [*found.without_effect, *found.zero]
    named = [line for each in moved for line in each.lines] + list(found.apart)
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
    assert by_name["full"].stretch.raised_by == pytest.approx(1 / 0.95 - 1)
    assert by_name["full"].up == pytest.approx(5)
    assert by_name["full"].down == pytest.approx(-9.5)
    assert {name: swing.stretch.raised_by for name, swing in by_name.items() if name != "full"} == {
        "rate": pytest.approx(0.1), "mark_up": pytest.approx(0.1), "half": pytest.approx(0.1),
    }  # fmt: skip


def test_from_which_share_on_a_figure_moves_is_found():
    lines = (given("kits", 100), calculated("late", "if kits < 70 then 1 else 0"))
    plan, figure = plan_of(*lines, months=3), Figure("l", "L", "late")
    assert rank_swings(plan, (), figure, 0.1).ranked == ()
    assert rank_swings(plan, (), figure, 0.1).without_effect[0].key == "kits"
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
    assert (found.without_range, [moved.key for moved in found.zero]) == (("open",), ["none_of"])


def test_one_unit_is_a_percentage_point_of_a_share():
    lines = (given("kits", 100), given("share", 0.5, unit="%"), calculated("all", "kits * share"))
    found = rank_swings(plan_of(*lines, months=1), (), Figure("a", "A", "all"), way=Way.UNIT)
    assert [(swing.line, swing.down, swing.up) for swing in found.ranked] == [
        ("share", pytest.approx(-1), pytest.approx(1)), ("kits", -0.5, 0.5),
    ]  # fmt: skip


PRICES = {("Coast",): 10, ("Valley",): 20, ("Upland",): 0}


def test_members_are_moved_as_one_or_each_apart():
    lines = (given("price", PRICES, ("region",)), calculated("all", "price * 1", ("region",)))
    plan, figure = plan_of(*lines, months=1), Figure("a", "A", "all")
    assert [(s.moved.key, s.up) for s in rank_swings(plan, (), figure).ranked] == [("price", pytest.approx(3))]
    apart = rank_swings(plan, (), figure, is_apart=True)
    assert [(s.moved.key, s.up) for s in apart.ranked] == [
        ("price@Valley", pytest.approx(2)), ("price@Coast", pytest.approx(1)),
    ]  # fmt: skip
    assert [moved.key for moved in apart.zero] == ["price@Upland"]


def test_lines_that_hang_together_are_moved_as_one_each_between_its_own_ends():
    lines = (
        ranged("kit", 50, 40, 50, 55), ranged("panel", 10, -0.1, 0, 0.2, True), given("cost", 20),
        calculated("all", "kit + panel - cost"),
    )  # fmt: skip
    plan, figure = plan_of(*lines, months=1), Figure("a", "A", "all")
    found = rank_swings(plan, (), figure, way=Way.RANGE, together=[("kit", "panel")])
    swing = found.ranked[0]
    assert (swing.moved.lines, swing.down, swing.up) == (("kit", "panel"), pytest.approx(-11), pytest.approx(7))
    assert swing.moved.key == "kit+panel"
    # half the way to the high: 52.5 and 11
    changed = evaluate(plan, [swing.stretch.changes(0.5)]).series("all").tolist()
    assert changed == [pytest.approx(52.5 + 11 - 20)]
    with pytest.raises(InvalidValue, match="two groups"):
        rank_swings(plan, (), figure, together=[("kit", "panel"), ("kit", "cost")])


def test_a_second_figure_stands_beside_the_first():
    lines = (
        given("kits", 100),
        given("price", 5),
        calculated("sales", "kits * price"),
        calculated("heads", "kits / 10"),
    )
    plan = plan_of(*lines, months=1)
    found = rank_swings(plan, (), Figure("s", "S", "sales"), second=Figure("h", "H", "heads"))
    assert found.now == (500, 10)
    assert {s.line: s.second for s in found.ranked} == {
        "kits": (pytest.approx(9), pytest.approx(11)), "price": (pytest.approx(10), pytest.approx(10)),
    }  # fmt: skip


def test_a_ranking_in_pieces_is_the_whole_ranking(demo_plan):
    trials = prepare_swings(demo_plan, (), demo_plan.model.figure("ebitda_2027"))
    amounts = [trials.amounts(start, start + 50) for start in range(0, len(trials.stretches), 50)]
    assert trials.ranked(np.concatenate(amounts, axis=1)) == trials.ranked(trials.amounts())
    first = trials.ranked(amounts[0])
    assert {s.moved for s in first.ranked} <= {each.moved for each in trials.stretches[:50]}
