"""Bridges: causes add up to the whole difference, by published games and by law."""

from itertools import permutations

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import calculated, company, given, plan_of
from tests.kit.strategies import models
from widefork.core.analysis.bridge import Grouping, LinePart, bridge, carried_by, causes_between, walk
from widefork.core.analysis.compare import evaluate_cases
from widefork.core.analysis.figures import answer
from widefork.core.analysis.shapley import coalitions, shapley_values
from widefork.core.axes import Month
from widefork.core.changes import Case, Change, Move, Operation, Switch
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure, Reduction
from widefork.core.finance.assemble import check_plan


def game(count, worth):
    return shapley_values(np.array([worth(set(np.flatnonzero(row))) for row in coalitions(count)], dtype=float))


def test_the_glove_game():
    """One left glove, two right ones, a pair is worth 1: 2/3, 1/6, 1/6 (textbook, from memory)."""
    shares = game(3, lambda who: 0 in who and (1 in who or 2 in who))
    assert shares == pytest.approx([2 / 3, 1 / 6, 1 / 6], abs=1e-12)


@pytest.mark.parametrize(("costs", "shares"), [((6, 12, 18), (2, 5, 11)), ((8, 11, 13, 18), (2, 3, 4, 9))])
def test_the_airport_game(costs, shares):
    """Littlechild and Owen (1973): each part of a runway is shared by all who need it."""
    found = game(len(costs), lambda who: max((costs[player] for player in who), default=0))
    assert found == pytest.approx(shares, abs=1e-12)


@forall(st.integers(1, 4).flatmap(lambda n: st.lists(st.floats(-1e3, 1e3), min_size=2**n, max_size=2**n)))
def test_shares_are_the_mean_over_all_orders_and_add_up(worth):
    count = len(worth).bit_length() - 1
    shares = shapley_values(np.array(worth))
    assert shares.sum() == pytest.approx(worth[-1] - worth[0], abs=1e-8)
    gains = np.zeros(count)
    for order in permutations(range(count)):
        held = 0
        for player in order:
            gains[player] += worth[held | 1 << player] - worth[held]
            held |= 1 << player
    assert shares == pytest.approx(gains / len(list(permutations(range(count)))), abs=1e-8)


def profit(**more):
    """Units × price × margin, in two cases: 100 to 120, 10 to 11, 40 % to 50 %."""
    return plan_of(
        given("units", 100), given("price", 10), given("margin", 0.4),
        calculated("profit", "units * price * margin"),
        months=1, **more,
    )  # fmt: skip


PROFIT = Figure("profit", "Profit", "profit")
BETTER = (
    Change("units", Operation.SET, 120),
    Change("price", Operation.ADD, 1),
    Change("margin", Operation.SET, 0.5),
)
CASES = (Case("base", "Base"), Case("better", "Better", "base", BETTER))


def test_three_drivers_between_two_cases():
    """Constructed: profit 400 to 660; the shares from all six orders."""
    plan = profit(cases=CASES)
    found = bridge(plan, causes_between(plan.model, "base", "better"), PROFIT)
    assert (found.start, found.end, found.orders) == (400, 660, 0)
    assert [step.cause.key for step in found.steps] == ["line:units", "line:price", "line:margin"]
    assert [step.amount for step in found.steps] == pytest.approx([94 + 2 / 3, 49 + 2 / 3, 115 + 2 / 3], abs=1e-9)


def test_a_walk_takes_the_causes_in_the_order_asked_for():
    plan = profit(cases=CASES)
    causes = causes_between(plan.model, "base", "better")
    found = walk(plan, causes, PROFIT, ["line:price", "line:units", "line:margin"])
    assert [step.amount for step in found.steps] == pytest.approx([40, 88, 132])
    with pytest.raises(InvalidValue, match="every cause once"):
        walk(plan, causes, PROFIT, ["line:price"])


def test_siblings_differ_by_what_each_has_and_a_move_is_one_cause():
    push = Move("push", "Push", Month(2026, 1), (Change("units", Operation.ADD, 7), Change("price", Operation.ADD, -1)))
    shared = Change("margin", Operation.SCALE, 2)
    cases = (
        Case("base", "Base", steps=(shared,)),
        Case("left", "Left", "base", (Change("price", Operation.SET, 12), Change("units", Operation.SET, 90))),
        Case("right", "Right", "base", (Change("price", Operation.SET, 9), Switch("push"))),
    )
    plan = profit(cases=cases, moves=(push,))
    causes = causes_between(plan.model, "left", "right")
    assert [cause.key for cause in causes.causes] == ["line:price", "line:units", "line:price:2", "move:push"]
    assert causes.list_for(()) == plan.model.changes_of("left")
    assert causes.list_for((0, 1, 2, 3)) == plan.model.changes_of("right")
    assert shared in causes.list_for((1,))
    found = bridge(plan, causes, PROFIT)
    assert sum(step.amount for step in found.steps) == pytest.approx(found.end - found.start)
    together = {step.cause.key: step for step in found.grouped()}
    assert list(together) == ["line:price", "line:units", "move:push"]
    assert together["line:price"].amount == found.steps[0].amount + found.steps[2].amount
    assert together["line:price"].cause.label == "Price"


def test_a_set_beside_a_scale_is_two_causes_the_same_ways_round():
    """By hand: 100 units set to 80, then times 1.5: 120. Alone the set takes 20 off and the scale adds 50; after each
    other the set takes 30 off and the scale adds 40. The means of both orders are -25 and +45, and back +25 and -45."""
    steps = (Change("units", Operation.SET, 80), Change("units", Operation.SCALE, 1.5))
    plan = plan_of(given("units", 100), months=1, cases=(Case("base", "Base"), Case("other", "Other", "base", steps)))
    units = Figure("units", "Units", "units")
    there = bridge(plan, causes_between(plan.model, "base", "other"), units)
    back = bridge(plan, causes_between(plan.model, "other", "base"), units)
    assert [step.amount for step in there.steps] == [-25, 45]
    assert [step.amount for step in back.steps] == [25, -45]
    assert (back.start, back.end) == (there.end, there.start)
    label = there.steps[1].cause.label
    assert "scale 1.5" in label


def test_a_move_from_another_month_is_one_cause_in_its_place():
    push = Move("push", "Push", Month(2026, 1), (Change("units", Operation.ADD, 7, (), Month(2026, 1)),))
    cases = (
        Case("base", "Base", None, (Switch("push"), Change("price", Operation.SET, 12))),
        Case("later", "Later", "base", (Switch("push", Month(2026, 2)),)),
    )
    plan = profit(cases=cases, moves=(push,))
    causes = causes_between(plan.model, "base", "later")
    assert [cause.key for cause in causes.causes] == ["move:push"]
    found = bridge(plan, causes, PROFIT)
    assert (found.start, found.end) == (pytest.approx(107 * 12 * 0.4), pytest.approx(100 * 12 * 0.4))


@law(10)
@forall(models(), st.sampled_from(["stock", "sales"]))
def test_the_same_two_cases_the_other_way_round_are_the_exact_negative(model, line):
    plan = check_plan(model)
    figure = Figure("asked", "Asked", line, reduction=Reduction.VALUE)
    there, back = (
        bridge(plan, causes_between(plan.model, *pair), figure) for pair in (("best", "calm"), ("calm", "best"))
    )
    assert [step.amount for step in back.steps] == [-step.amount for step in there.steps]
    assert (back.start, back.end) == (there.end, there.start)
    assert [step.alone for step in back.steps] == [-step.last for step in there.steps]


@law(10)
@forall(models(), st.sampled_from(["stock", "sales", "cash_after_overdraft"]))
def test_in_any_model_causes_add_up_to_the_difference(model, line):
    plan = check_plan(model)
    figure = Figure("asked", "Asked", line, reduction=Reduction.VALUE)
    causes = causes_between(plan.model, "calm", "best")
    results = evaluate_cases(plan, ["calm", "best"], [line])
    start, end = answer(figure, results).amounts
    found = bridge(plan, causes, figure)
    assert (found.start, found.end) == (start, end)
    size = max([1.0, abs(start), abs(end), *(abs(step.amount) for step in found.steps)])
    assert sum(step.amount for step in found.steps) == pytest.approx(end - start, abs=1e-9 * size)


def many(count):
    lines = [given(f"x{place}", 1) for place in range(count)]
    product = " * ".join(line.name for line in lines)
    changes = tuple(Change(line.name, Operation.SET, 1 + place / 20) for place, line in enumerate(lines))
    cases = (Case("base", "Base"), Case("best", "Best", "base", changes))
    return plan_of(*lines, calculated("y", product), months=1, cases=cases)


def test_beyond_twelve_causes_the_split_is_sampled_with_its_error():
    plan, figure = many(13), Figure("y", "Y", "y")
    causes = causes_between(plan.model, "base", "best")
    found = bridge(plan, causes, figure, seed=4, orders=60)
    assert found.orders == 60
    assert sum(step.amount for step in found.steps) == pytest.approx(found.end - found.start)
    assert found == bridge(plan, causes, figure, seed=4, orders=60)
    worth = np.array([np.prod(1 + np.flatnonzero(row) / 20) for row in coalitions(13)])
    for step, true in zip(found.steps, shapley_values(worth), strict=True):
        assert abs(step.amount - true) <= 5 * step.error + 1e-12
    for place, step in enumerate(found.steps):
        assert step.alone == pytest.approx(place / 20)
        assert step.last == pytest.approx(worth[-1] - worth[-1] / (1 + place / 20))
    with pytest.raises(InvalidValue, match="in pairs"):
        bridge(plan, causes, figure, orders=3)


def test_a_figure_without_an_answer_on_the_way_says_where():
    plan = profit(cases=CASES)
    never = Figure("late", "First month above 1,000", "profit", reduction=Reduction.FIRST_MONTH, threshold=600)
    with pytest.raises(InvalidValue, match="no answer to begin with"):
        bridge(plan, causes_between(plan.model, "base", "better"), never)


LATE = Change("price", Operation.SCALE, 2.0, note="late harvest")
EARLY = Change("units", Operation.ADD, 20, note="early harvest")


def test_causes_are_taken_together_by_line_section_and_note():
    cases = (Case("base", "Base"), Case("best", "Best", "base", (
        LATE, EARLY, Change("price", Operation.ADD, 1.0, note="late harvest"), Switch("push")),))  # fmt: skip
    push = Move("push", "Push", Month(2026, 1), (Change("margin", Operation.SET, 0.5),), note="pushed")
    plan = profit(cases=cases, moves=(push,))
    found = bridge(plan, causes_between(plan.model, "base", "best"), PROFIT)
    assert [step.cause.key for step in found.steps] == ["line:price", "line:units", "line:price:2", "move:push"]
    for by, labels, counts in (
        (Grouping.LINE, ["Price", "Units", "Push"], [2, 1, 1]),
        (Grouping.SECTION, ["All", "Moves"], [3, 1]),
        (Grouping.NOTE, ["late harvest", "early harvest", "pushed"], [2, 1, 1]),
    ):
        grouped = found.grouped(by)
        assert [step.cause.label for step in grouped] == labels
        assert [step.count for step in grouped] == counts
        assert sum(step.amount for step in grouped) == pytest.approx(found.end - found.start)
    # 400 alone: twice the price adds 400; on top of all else it is twice 120 × 0.5 × 10 less once, then 1 more each
    assert found.steps[0].alone == 400
    assert found.steps[0].last == pytest.approx(120 * (21 - 11) * 0.5)


def test_one_of_a_group_in_place_of_another_is_one_cause():
    moves = tuple(
        Move(name, name.title(), Month(2026, 1), (Change("units", Operation.ADD, add),), group="Crew")
        for name, add in (("few", -10), ("many", 30))
    )
    cases = (Case("base", "Base", None, (Switch("few"),)), Case("best", "Best", "base", (Switch("many"),)))
    plan = profit(cases=cases, moves=moves)
    [step] = bridge(plan, causes_between(plan.model, "base", "best"), PROFIT).steps
    assert (step.cause.key, step.cause.label) == ("one_of:Crew", "Few or Many")
    assert step.amount == 40 * 10 * 0.4


@law(10)
@forall(models(), st.sampled_from(["ebitda", "cash_after_overdraft", "net_profit", "cash"]), st.sampled_from(
    [Reduction.SUM, Reduction.VALUE, Reduction.LOWEST, Reduction.MEAN]))  # fmt: skip
def test_the_lines_that_carry_a_difference_add_up_to_it(model, line, reduction):
    plan = check_plan(model)
    figure = Figure("asked", "Asked", line, reduction=reduction)
    results = evaluate_cases(plan, ["calm", "best"])
    start, end = answer(figure, results).amounts
    parts = carried_by(results, figure, 0, 1)
    if parts:
        size = max([1.0, abs(start), abs(end), *(abs(part.amount) for part in parts)])
        assert sum(part.amount for part in parts) == pytest.approx(end - start, abs=1e-7 * size)
        amounts = [abs(part.amount) for part in parts if part.line]
        assert amounts == sorted(amounts, reverse=True)


def test_cash_is_told_by_receipts_and_payments_up_to_the_month_it_is_lowest():
    """By hand: rent of 10 from the start, and in the worse case 4 more from March; cash falls to the end of June."""
    rent = given("rent", 10, unit="EUR", posts_to="premises_costs")
    cases = (Case("base", "Base"), Case("bad", "Bad", "base", (Change("rent", Operation.ADD, 4, (), Month(2026, 3)),)))
    plan = company(lines=(rent,), months=6, sales=0, costs=0, cases=cases, opening_balances={"cash": 0})
    results = evaluate_cases(plan, ["base", "bad"])
    lowest = Figure("low", "Lowest cash", "cash_after_overdraft", reduction=Reduction.LOWEST)
    assert carried_by(results, lowest, 0, 1) == (LinePart("supplier_payments", -16.0),)
    profit_of = Figure("p", "EBITDA", "ebitda", (), None, Month(2026, 3))
    assert carried_by(results, profit_of, 0, 1) == (LinePart("premises_costs", -4.0),)
    assert carried_by(results, Figure("m", "Margin", "ebitda_margin"), 0, 1) == ()
    late = Figure("late", "Late", "ebitda", reduction=Reduction.FIRST_MONTH)
    assert carried_by(results, late, 0, 1) == ()


def test_equal_cases_have_nothing_to_explain():
    plan = profit(cases=CASES)
    found = bridge(plan, causes_between(plan.model, "base", "base"), PROFIT)
    assert (found.steps, found.start, found.end) == ((), 400, 400)
