import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import calculated, given, plan_of
from widefork.core.analysis.figures import answer
from widefork.core.analysis.goal_seek import Goal, Outcome, Sense, seek_goal
from widefork.core.analysis.lever import Lever, Together, usual_lever
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.figures import Comparison, Figure, Reduction


def seek(formula, target, low, high, sense=Sense.EXACTLY, now=None, **more):
    plan = plan_of(
        given("x", low if now is None else now), given("other", 1), calculated("y", formula), months=1, **more
    )
    figure = Figure("y", "Y", "y", reduction=Reduction.VALUE)
    return seek_goal(plan, (), Goal(figure, sense, target, Lever("x"), low, high))


@pytest.mark.parametrize(
    ("formula", "low", "high", "roots"),
    [
        # a classic of Newton and Wallis; the Omega constant; scipy.optimize.root_scalar's example; algebra
        ("x^3 - 2*x - 5", 0, 4, [2.0945514815423265]),
        ("x * 2.718281828459045^x - 1", 0, 2, [0.5671432904097838]),
        ("x^3 - 1", 0.3, 2, [1]),
        ("x^3 - 6*x^2 + 11*x - 6", 0, 4, [1, 2, 3]),
        ("(x - 1.1) * (x - 2.7)", 0, 4, [1.1, 2.7]),
    ],
)
def test_all_roots_in_the_range_are_found(formula, low, high, roots):
    assert seek(formula, 0, low, high).crossings == pytest.approx(roots, abs=1e-8)


def test_a_target_out_of_reach_names_the_closest():
    # constructed: 1,000 visitors, conversion 0 to 1, price 5: at most 5,000
    found = seek("1000 * x * 5", 6000, 0, 1, Sense.AT_LEAST)
    assert found.outcome is Outcome.OUT_OF_REACH
    assert (found.closest, found.closest_figure) == (1, 5000)


def test_break_even_units():
    # textbook cost-volume-profit: price 25, variable 15, fixed 50,000: break-even 5,000, 20,000 profit at 7,000
    assert seek("x * (25 - 15) - 50000", 0, 0, 20000).exact == pytest.approx(5000)
    assert seek("x * (25 - 15) - 50000", 20000, 0, 20000, Sense.AT_LEAST).amount == 7000


@law(40)
@forall(st.floats(-50, 50), st.floats(0.1, 5), st.sampled_from([Sense.AT_LEAST, Sense.AT_MOST]), st.floats(-60, 60))
def test_the_amount_found_reaches_the_goal(offset, slope, sense, target):
    found = seek(f"max(x * {slope:.6f} + {offset:.6f}, -40)", target, -100, 100, sense, now=0)
    if found.outcome is Outcome.REACHED:
        slack = 1e-6 * max(1, abs(target))
        assert (
            (found.figure_then >= target - slack) if sense is Sense.AT_LEAST else (found.figure_then <= target + slack)
        )
    elif found.outcome is Outcome.OUT_OF_REACH:
        reached = found.figures >= target if sense is Sense.AT_LEAST else found.figures <= target
        assert not reached.any()


def test_a_jump_is_answered_from_the_side_that_works():
    found = seek("if x >= 3 then 10 else 0", 5, 0, 8, Sense.AT_LEAST)
    assert found.outcome is Outcome.REACHED
    assert found.figure_then == 10
    assert found.amount == pytest.approx(3, abs=0.01)


def test_already_there_and_not_depending_are_said():
    assert seek("x + 100", 50, 0, 10, Sense.AT_LEAST).outcome is Outcome.ALREADY
    apart = seek("other * 2", 50, 0, 10, Sense.AT_LEAST)
    assert apart.outcome is Outcome.NO_DEPENDENCE
    assert apart.depends_on == ("other",)
    assert seek("min(x, -1)", 50, 0, 10, Sense.AT_LEAST).outcome is Outcome.NO_DEPENDENCE


@pytest.mark.parametrize(("low", "high"), [(5, 5), (9, 1), (0, np.inf)])
def test_empty_ranges_are_refused(low, high):
    with pytest.raises(InvalidValue, match="lower to a higher"):
        seek("x", 1, low, high)


def test_months_that_differ_are_scaled_instead_of_flattened():
    plan = plan_of(given("x", {"steps": {"2026-01": 1, "2026-03": 2}}), given("y", 5), calculated("z", "x"))
    assert usual_lever(plan, (), "x") == (Lever("x", Operation.SCALE), 1.0)
    assert usual_lever(plan, [Change("y", Operation.SET, 6)], "y") == (Lever("y", Operation.SET), 6.0)
    with pytest.raises(InvalidValue, match="is calculated"):
        usual_lever(plan, (), "z")


def test_the_demo_answer_holds_when_put_into_the_case(demo_plan):
    figure = demo_plan.model.figure("lowest_cash")
    changes = demo_plan.model.changes_of("worst")
    found = seek_goal(demo_plan, changes, Goal(figure, Sense.AT_LEAST, 0, Lever("bridge_loan_amount"), 0, 600000))
    kept = [*changes, Change("bridge_loan_amount", Operation.SET, found.amount)]
    assert 0 <= answer(figure, evaluate(demo_plan, [kept])).amounts[0] < 200
    less = [*changes, Change("bridge_loan_amount", Operation.SET, found.exact - 10)]
    assert answer(figure, evaluate(demo_plan, [less])).amounts[0] < 0


def test_whole_levers_give_whole_answers():
    """Price 9, variable cost 6, fixed 1000: 333.3 units break even, so 334 (textbook)."""
    plan = plan_of(given("x", 0), calculated("y", "(9 - 6) * x - 1000"), months=1)
    figure = Figure("y", "Y", "y")
    whole = Lever("x", is_whole=True)
    found = seek_goal(plan, (), Goal(figure, Sense.AT_LEAST, 0, whole, 0, 5000))
    assert (found.outcome, found.amount, found.figure_then, found.crossings) == (Outcome.REACHED, 334, 2, (334,))
    assert seek_goal(plan, (), Goal(figure, Sense.EXACTLY, 0, whole, 0, 5000)).outcome is Outcome.OUT_OF_REACH
    one = seek_goal(plan, (), Goal(figure, Sense.AT_LEAST, 0, whole, 333.5, 334.5))
    assert (one.outcome, one.amount) == (Outcome.REACHED, 334)
    with pytest.raises(InvalidValue, match="no whole number"):
        seek_goal(plan, (), Goal(figure, Sense.AT_LEAST, 0, whole, 0.2, 0.8))
    with pytest.raises(InvalidValue, match="narrow it"):
        seek_goal(plan, (), Goal(figure, Sense.AT_LEAST, 0, whole, 0, 1e6))


def test_costs_that_step_have_several_break_evens():
    """4 a unit, fixed 8000 up to 2500 units and 12000 from 2501: 2000 to 2500, and from 3000 (constructed)."""
    plan = plan_of(given("x", 0), calculated("y", "4 * x - (if x > 2500 then 12000 else 8000)"), months=1)
    goal = Goal(Figure("y", "Y", "y"), Sense.AT_LEAST, 0, Lever("x", is_whole=True), 0, 5000)
    assert seek_goal(plan, (), goal).crossings == (2000, 2500, 3000)


def test_a_month_is_reached_by_halving():
    """Cash of −100 a month from a start x is first under 0 in the month after x / 100."""
    plan = plan_of(given("x", 0), calculated("cash", "x - 100 * month_number"), months=12)
    first = Figure("under", "First month under", "cash", reduction=Reduction.FIRST_MONTH,
                   comparison=Comparison.BELOW, threshold=0)  # fmt: skip
    july = Month(2026, 7).ordinal
    found = seek_goal(plan, (), Goal(first, Sense.AT_LEAST, july, Lever("x"), 0, 5000))
    assert (found.outcome, found.figure_then) == (Outcome.REACHED, july)
    assert found.exact == pytest.approx(600)
    never = seek_goal(plan, (), Goal(first, Sense.AT_LEAST, Month(2030, 1).ordinal, Lever("x"), 0, 5000))
    assert (never.exact, never.figure_then) == (pytest.approx(1200), np.inf)
    out = seek_goal(plan, (), Goal(first, Sense.AT_LEAST, july, Lever("x"), 0, 500))
    assert (out.outcome, out.closest) == (Outcome.OUT_OF_REACH, pytest.approx(500))


def test_several_levers_move_in_proportion():
    plan = plan_of(given("x", 1), given("y", 10), calculated("z", "x * y"), months=1)
    both = Together(((Lever("x"), 1, 3), (Lever("y"), 10, 6)))
    found = seek_goal(plan, (), Goal(Figure("z", "Z", "z"), Sense.EXACTLY, 16, both, 0, 1))
    assert both.amounts(found.amount) == pytest.approx((2, 8))
    assert found.figure_then == pytest.approx(16)


def test_the_lowest_of_a_range_can_be_the_goal():
    """Running sums of −30, −45, −20, 25, 60 stay at or above 10 from a start of 105 (constructed)."""
    flows = {"monthly": {"start": "2026-01", "amounts": [-30, -45, -20, 25, 60]}}
    plan = plan_of(given("x", 0), given("flow", flows), calculated("cash", "x + running_total(flow)"), months=5)
    lowest = Figure("low", "Low", "cash", reduction=Reduction.LOWEST)
    assert seek_goal(plan, (), Goal(lowest, Sense.AT_LEAST, 10, Lever("x"), 0, 500)).exact == pytest.approx(105)


def test_a_lever_of_one_member_starts_where_that_member_stands():
    plan = plan_of(
        given("x", {("Coast",): 1, ("Valley",): 50, ("Upland",): 3}, ("region",)),
        calculated("y", "sum_over(x)"),
        months=1,
    )
    valley = Lever("x", Operation.SET, (("region", "Valley"),))
    found = seek_goal(plan, (), Goal(Figure("y", "Y", "y"), Sense.AT_LEAST, 60, valley, 0, 100))
    assert (found.now, found.figure_now) == (50, 54)
    assert found.exact == pytest.approx(56)
