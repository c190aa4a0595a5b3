"""The smallest change over several assumptions: the closed form, bounds, kept conditions, and what cannot be."""

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import calculated, given, plan_of
from widefork.core.analysis.figures import figures_amounts
from widefork.core.analysis.goal_seek import Bounded, Outcome, Sense, Wanted, smallest_change
from widefork.core.analysis.lever import Lever
from widefork.core.changes import Operation
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure, Reduction

LINES = (given("price", 50), given("kits", 100), given("cost", 30), calculated("sales", "price * kits"),
         calculated("profit", "(price - cost) * kits - 1500"))  # fmt: skip
PROFIT, SALES = Figure("p", "Profit", "profit"), Figure("s", "Sales", "sales")
LINEAR = (given("x", 10), given("y", 10), calculated("z", "3 * x + y"))
Z = Figure("z", "Z", "z")
MONTH = Figure("m", "M", "profit", reduction=Reduction.FIRST_MONTH)


def at_least(target, figure=PROFIT):
    return Wanted(figure, Sense.AT_LEAST, target)


def lever(line, low, now, high, weight=1.0, whole=False):
    return Bounded(Lever(line, Operation.SET, is_whole=whole), low, now, high, weight)


def test_of_a_straight_model_it_is_the_closed_form():
    # least Σ w u² with Σ s u = d is u = d (s / w) / Σ (s² / w): s are 60 and 20 a range, d is 14: u = 0.21 and 0.07
    found = smallest_change(
        plan_of(*LINEAR, months=1), (), [at_least(54, Z)], [lever("x", 0, 10, 20), lever("y", 0, 10, 20)]
    )
    assert found.outcome is Outcome.REACHED
    assert found.amounts == (pytest.approx(14.2, abs=0.05), pytest.approx(11.4, abs=0.05))
    assert found.figures[0] >= 54 - 1e-9
    assert found.figures[0] == pytest.approx(54, abs=0.1)
    assert found.effects[:, 0].sum() == pytest.approx(found.figures[0] - 40)
    assert found.is_only


@law(8)
@drawn(
    slopes=st.lists(st.floats(0.5, 20), min_size=2, max_size=4),
    weights=st.lists(st.floats(0.5, 4), min_size=4, max_size=4), share=st.floats(0.02, 0.1),
)  # fmt: skip
def test_the_change_is_as_small_as_theory_says(slopes, weights, share):
    names = ["a", "b", "c", "d"][: len(slopes)]
    formula = " + ".join(f"{slope:.6f} * {name}" for name, slope in zip(names, slopes, strict=True))
    plan = plan_of(*(given(name, 50) for name in names), calculated("z", formula), months=1)
    levers = [lever(name, 0, 50, 100, weight) for name, weight in zip(names, weights, strict=False)]
    steep = np.array([round(slope, 6) for slope in slopes]) * 100
    target = 50 * steep.sum() / 100 + share * steep.sum()
    found = smallest_change(plan, (), [at_least(target, Z)], levers)
    own = np.array(weights[: len(names)])
    expected = share * steep.sum() * (steep / own) / (steep**2 / own).sum()
    inside = expected <= 0.5
    moved = (np.array(found.amounts) - 50) / 100
    assert found.figures[0] >= target - 1e-6
    if inside.all():
        assert moved == pytest.approx(expected, abs=0.002)


def test_what_is_to_be_kept_binds_and_bounds_hold():
    plan = plan_of(*LINES, months=1)
    levers = [lever("price", 40, 50, 60), lever("kits", 80, 100, 130), lever("cost", 28, 30, 34)]
    free = smallest_change(plan, (), [at_least(1000)], levers)
    kept = smallest_change(plan, (), [at_least(1000), Wanted(SALES, Sense.AT_MOST, 5100)], levers)
    for found in (free, kept):
        assert found.outcome is Outcome.REACHED
        assert found.figures[0] >= 1000
        assert all(each.low <= amount <= each.high for each, amount in zip(levers, found.amounts, strict=True))
        changes = [
            change for each, amount in zip(levers, found.amounts, strict=True) for change in each.lever.changes(amount)
        ]
        assert figures_amounts(plan, [changes], [PROFIT])[0, 0] == pytest.approx(found.figures[0])
    assert free.figures[0] == pytest.approx(1000, abs=15)
    assert kept.figures[1] <= 5100 + 1e-9
    assert abs(kept.amounts[2] - 30) > abs(free.amounts[2] - 30)


def test_whole_amounts_stay_whole():
    found = smallest_change(plan_of(*LINES, months=1), (), [at_least(1000)],
                            [lever("price", 40, 50, 60), lever("kits", 80, 100, 130, whole=True)])  # fmt: skip
    assert found.amounts[1] == int(found.amounts[1])
    assert found.figures[0] >= 1000


def test_what_is_harder_moves_less():
    plan = plan_of(*LINEAR, months=1)
    easy = smallest_change(plan, (), [at_least(54, Z)], [lever("x", 0, 10, 20), lever("y", 0, 10, 20)])
    hard = smallest_change(plan, (), [at_least(54, Z)], [lever("x", 0, 10, 20, 4), lever("y", 0, 10, 20)])
    assert hard.amounts[0] < easy.amounts[0]
    assert hard.amounts[1] > easy.amounts[1]


def test_two_goals_that_cannot_both_be_say_what_each_is_short_of():
    plan = plan_of(*LINEAR, months=1)
    found = smallest_change(plan, (), [at_least(60, Z), Wanted(Figure("x", "X", "x"), Sense.AT_MOST, 5)],
                            [lever("x", 0, 10, 20), lever("y", 0, 10, 20)])  # fmt: skip
    assert found.outcome is Outcome.OUT_OF_REACH
    assert sum(missing > 0 for missing in found.missing) >= 1
    assert found.missing[0] == pytest.approx(max(0.0, 60 - found.figures[0]))


def test_what_is_met_already_and_what_nothing_moves_is_said():
    plan = plan_of(*LINES, given("apart", 3), months=1)
    assert smallest_change(plan, (), [at_least(500)], [lever("price", 40, 50, 60)]).outcome is Outcome.ALREADY
    still = smallest_change(plan, (), [at_least(900)], [lever("apart", 0, 3, 9)])
    assert (still.outcome, still.amounts) == (Outcome.NO_DEPENDENCE, (3.0,))


@pytest.mark.parametrize(
    ("wanted", "levers", "said"),
    [
        ([], [lever("price", 1, 2, 3)], "at least one goal"), ([at_least(1)], [], "at least one goal"),
        ([at_least(1)], [lever("price", 1, 2, 3)] * 2, "stands twice"),
        ([at_least(1)], [lever("price", 3, 3, 3)], "bounds have a width"),
        ([at_least(1)], [lever("price", 1, 9, 3)], "lies within them"),
        ([at_least(1)], [lever("price", 1, 2, 3, 0)], "above 0"),
        ([Wanted(PROFIT, Sense.EXACTLY, 1)], [lever("price", 1, 2, 3)], "at least or at most"),
        ([at_least(1, MONTH)], [lever("price", 1, 2, 3)], "at least or"),
    ],
)  # fmt: skip
def test_what_cannot_be_asked_says_why(wanted, levers, said):
    with pytest.raises(InvalidValue, match=said):
        smallest_change(plan_of(*LINES), (), wanted, levers)


def test_the_demo_reaches_a_goal_with_three_assumptions(demo_plan):
    figure = demo_plan.model.figure("ebitda_2027")
    levers = [
        Bounded(Lever(line, Operation.SCALE), 0.8, 1.0, 1.2) for line in ("kit_price", "kits_ordered", "panel_fee")
    ]
    found = smallest_change(demo_plan, (), [at_least(300_000, figure)], levers)
    assert found.outcome is Outcome.REACHED
    assert 300_000 <= found.figures[0] < 303_000
    alone = [smallest_change(demo_plan, (), [at_least(300_000, figure)], [each]) for each in levers]
    for one, amount in zip(alone, found.amounts, strict=True):
        if one.outcome is Outcome.REACHED:
            assert abs(amount - 1) < abs(one.amounts[0] - 1)


def test_how_far_each_goes_can_be_told_by_its_own_unit():
    """3 of x + y with x from 0 to 10 and y from 0 to 100: in shares y carries nearly all of it, in units both alike."""
    plan = plan_of(given("x", 0), given("y", 0), given("z", 5), calculated("p", "x + y + 0 * z"), months=1)
    wanted = [Wanted(Figure("p", "P", "p"), Sense.AT_LEAST, 3)]
    levers = [Bounded(Lever("x"), 0, 0, 10), Bounded(Lever("y"), 0, 0, 100), Bounded(Lever("z"), 0, 5, 10)]
    shares = smallest_change(plan, (), wanted, levers)
    assert shares.amounts[:2] == pytest.approx((3 / 101, 300 / 101), abs=0.05)
    units = smallest_change(plan, (), wanted, levers, in_units=True)
    assert units.amounts[:2] == pytest.approx((1.5, 1.5), abs=0.02)
    assert units.idle == (False, False, True)
