"""Goals and levers in words, what is kept, how far a goal holds, what else could reach it, and what each brings."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import calculated, given, plan_of
from widefork.core.analysis.figures import figure_amounts
from widefork.core.analysis.goal_seek import (
    Goal,
    Outcome,
    Sense,
    Wanted,
    figure_phrase,
    lifts,
    reach_instead,
    read_figure,
    read_lever,
    seek_goal,
)
from widefork.core.analysis.lever import Lever, SwitchLever, Together, pull
from widefork.core.axes import Grain, Month
from widefork.core.changes import Case, Change, Move, Operation, Switch
from widefork.core.errors import InvalidValue, UnknownName, WideforkError
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.core.goals import PinnedGoal


@pytest.mark.parametrize(
    ("phrase", "line", "reduction", "first", "last"),
    [
        ("EBITDA in FY27", "ebitda", Reduction.SUM, Month(2027, 1), Month(2027, 12)),
        ("EBITDA", "ebitda", Reduction.SUM, Month(2026, 7), None),
        ("EBITDA in Mar 27", "ebitda", Reduction.VALUE, Month(2027, 3), Month(2027, 3)),
        ("ebitda from 2026-09 to 2027-02", "ebitda", Reduction.SUM, Month(2026, 9), Month(2027, 2)),
        ("lowest Cash after overdraft", "cash_after_overdraft", Reduction.LOWEST, Month(2026, 7), None),
        ("highest Revenue to Jun 27", "revenue", Reduction.HIGHEST, Month(2026, 7), Month(2027, 6)),
        ("average Headcount in Q1 FY27", "headcount", Reduction.MEAN, Month(2027, 1), Month(2027, 3)),
        ("first month in which Net profit above 0", "net_profit", Reduction.FIRST_MONTH, Month(2026, 7), None),
        ("months in which Room above the waterline below 0 in FY27", "headroom", Reduction.MONTH_COUNT,
         Month(2027, 1), Month(2027, 12)),
        ("Well diary: price a month in FY28", "diary_price", Reduction.SUM, Month(2028, 1), Month(2028, 12)),
    ],
)  # fmt: skip
def test_a_figure_is_asked_for_in_words(demo_plan, phrase, line, reduction, first, last):
    model = demo_plan.model
    label = next((p.label for p in model.timeline.periods(Grain.QUARTER) if p.first == Month(2027, 1)), "")
    figure = read_figure(model, phrase.replace("Q1 FY27", label))
    assert (figure.line, figure.reduction, figure.first, figure.last) == (line, reduction, first, last)
    again = read_figure(model, figure_phrase(model, figure))
    assert (again.line, again.reduction, again.first, again.last) == (line, reduction, first, last)
    assert (again.comparison, again.threshold) == (figure.comparison, figure.threshold)


def test_a_stored_figure_is_asked_for_by_its_label_and_one_of_a_member_by_its_name(demo_plan):
    model = demo_plan.model
    assert read_figure(model, "Lowest cash") == read_figure(model, "lowest_cash") == model.figure("lowest_cash")
    coast = read_figure(model, "Kits ordered at Coast in FY27")
    assert coast.members == ("Coast",)
    assert figure_phrase(model, coast) == "Kits ordered at Coast in FY27"
    whole = read_figure(model, "EBITDA margin in FY27")
    stored = figure_amounts(demo_plan, [model.changes_of("base")], model.figure("margin_2027"))
    assert figure_amounts(demo_plan, [model.changes_of("base")], whole) == stored


def test_a_line_whose_label_begins_like_a_question_is_that_line():
    plan = plan_of(replace(given("x", 3), label="lowest price"), months=12)
    assert read_figure(plan.model, "lowest price").reduction is Reduction.SUM
    assert read_figure(plan.model, "lowest lowest price").reduction is Reduction.LOWEST


@pytest.mark.parametrize(
    ("phrase", "words"),
    [
        ("", "Say which figure"),
        ("profitability in FY27", "EBITDA in FY27"),
        ("first month in which Net profit", "Net profit above 0"),
        ("EBITDA from Jun 27 to Jan 27", "before it begins"),
        ("Kits ordered at Moon in FY27", "member of Kits ordered"),
        ("EBITDA in FY99", "EBITDA in FY27"),
    ],
)
def test_what_cannot_be_read_as_a_figure_says_how_one_is_asked_for(demo_plan, phrase, words):
    with pytest.raises(InvalidValue, match=words):
        read_figure(demo_plan.model, phrase)


def test_every_stored_figure_can_be_written_and_read_again(demo_plan):
    model = demo_plan.model
    for figure in model.figures:
        phrase = figure_phrase(model, figure)
        found = read_figure(model, phrase)
        changes = [model.changes_of(case.name) for case in model.cases]
        then, now = figure_amounts(demo_plan, changes, found), figure_amounts(demo_plan, changes, figure)
        assert np.array_equal(then, now, equal_nan=True), phrase


@pytest.mark.parametrize(
    ("lead", "low", "high", "lever", "ends"),
    [
        ("Panel fee", "380", "450", Lever("panel_fee"), (380, 450)),
        ("Kit price", "-10 %", "+20 %", Lever("kit_price", Operation.SCALE), (0.9, 1.2)),
        ("Kit price at Coast", "", "", None, (0, 3)),
        ("Contracts", "+0", "+20", Lever("panel_contracts", Operation.ADD, is_whole=True), (0, 20)),
        ("Kits ordered", "0 months later", "12 months later",
         Lever("kits_ordered", Operation.DELAY, is_whole=True), (0, 12)),
        ("Kit customers: days until customers pay", "", "", Lever("kit_customers_days"), (0, 120)),
        ("Network monitoring: contracts: fee at Dunmoor", "1", "2", None, (1, 2)),
    ],
)  # fmt: skip
def test_a_lever_is_named_with_the_amounts_it_may_take(demo_plan, lead, low, high, lever, ends):
    model = demo_plan.model
    if lead.endswith("Dunmoor"):
        lead = f"monitoring_book_fee at {model.dimension_by_name['monitoring_list'].members[0]}"
    found = read_lever(demo_plan, "base", lead, low, high)
    assert (found.low, found.high) == pytest.approx(ends)
    assert lever in (None, found.lever)


def test_moves_are_levers_by_their_start_and_their_strength(demo_plan):
    start = read_lever(demo_plan, "best", "start of Second lab")
    assert isinstance(start.lever, SwitchLever)
    assert start.lever.is_start
    assert (start.low, start.high) == (Month(2026, 7).ordinal, Month(2028, 12).ordinal)
    strength = read_lever(demo_plan, "base", "strength of Price rise 6 %", "0 %", "150 %")
    assert (strength.low, strength.now, strength.high) == (0, 0, 1.5)


@pytest.mark.parametrize(
    ("lead", "low", "high", "words"),
    [
        ("Panel fee", "380", "", "give both"),
        ("Panel fee", "450", "380", "no width"),
        ("Pannel fee", "", "", "Pannel"),
        ("EBITDA", "", "", "Change what it is made of"),
        ("start of Moon base", "", "", "Moon base"),
    ],
)
def test_a_lever_that_cannot_be_is_refused(demo_plan, lead, low, high, words):
    with pytest.raises(WideforkError, match=words):
        read_lever(demo_plan, "base", lead, low, high)


def test_what_is_kept_holds_back_a_goal_and_says_which_gives_first():
    """Profit 3x − 30 reaches 30 at x = 20; hours 2x stay at most 30 to x = 15, stock 50 − x at least 32 to x = 18."""
    plan = plan_of(given("x", 5), calculated("p", "3 * x - 30"), calculated("hours", "2 * x"),
                   calculated("stock", "50 - x"), months=1)  # fmt: skip
    one = lambda line: Figure(line, line, line)  # noqa: E731
    hours, stock = Wanted(one("hours"), Sense.AT_MOST, 30), Wanted(one("stock"), Sense.AT_LEAST, 32)
    held = seek_goal(plan, (), Goal(one("p"), Sense.AT_LEAST, 30, Lever("x"), 0, 40, (stock, hours)))
    assert (held.outcome, held.exact) == (Outcome.HELD_BACK, pytest.approx(20))
    assert held.kept_then == (pytest.approx(30), pytest.approx(40))
    assert held.gives_first == 1  # hours, at 15, before stock, at 18
    within = seek_goal(plan, (), Goal(one("p"), Sense.AT_LEAST, 12, Lever("x"), 0, 40, (stock, hours)))
    assert (within.outcome, within.amount, within.holds) == (Outcome.REACHED, 14, pytest.approx((14, 15)))
    assert within.kept_now == (45, 10)


def test_a_goal_that_holds_says_how_far():
    """3x − 30 is at least 0 from x = 10 on, and 12x − x² − 11 is from 1 to 11."""
    plan = plan_of(given("x", 20), calculated("p", "3 * x - 30"), months=1)
    found = seek_goal(plan, (), Goal(Figure("p", "P", "p"), Sense.AT_LEAST, 0, Lever("x"), 0, 40))
    assert (found.outcome, found.holds) == (Outcome.ALREADY, pytest.approx((10, 40)))
    curved = plan_of(given("x", 4), calculated("p", "12 * x - x^2 - 11"), months=1)
    both = seek_goal(curved, (), Goal(Figure("p", "P", "p"), Sense.AT_LEAST, 0, Lever("x"), 0, 40))
    assert (both.holds, both.stops) == (pytest.approx((1, 11)), (pytest.approx(6, abs=0.01), pytest.approx(25)))


def test_where_more_does_not_help_is_said_for_a_limit_and_a_peak():
    """Sales cannot pass 61: min(x, 61)."""
    plan = plan_of(given("x", 5), calculated("s", "min(x, 61)"), months=1)
    found = seek_goal(plan, (), Goal(Figure("s", "S", "s"), Sense.AT_LEAST, 80, Lever("x"), 0, 100))
    assert (found.outcome, found.stops) == (Outcome.OUT_OF_REACH, (pytest.approx(61, abs=1e-3), pytest.approx(61)))
    free = seek_goal(plan, (), Goal(Figure("s", "S", "s"), Sense.AT_LEAST, 50, Lever("x"), 0, 60))
    assert np.isnan(free.stops).all()


def moving_plan():
    rise = Move("rise", "Rise", Month(2026, 4), (Change("x", Operation.ADD, 10, (), Month(2026, 4)),))
    cases = (Case("base", "Base"), Case("up", "Up", "base", (Change("x", Operation.ADD, 1), Switch("rise"))))
    return plan_of(given("x", 10), calculated("total", "running_total(x)"), months=12, moves=(rise,), cases=cases)


def test_a_move_starts_when_a_goal_wants_it():
    """Up: 11 a month, and 10 more from the start on. 202 by December takes 7 months of it: June at the latest."""
    plan = moving_plan()
    end = Figure("end", "End", "total", reduction=Reduction.VALUE)
    lever = SwitchLever(plan.model, "up", Switch("rise"), is_start=True)
    changes = plan.model.changes_of("up")
    low, high = Month(2026, 1).ordinal, Month(2026, 12).ordinal
    found = seek_goal(plan, changes, Goal(end, Sense.AT_LEAST, 202, lever, low, high))
    assert (found.outcome, found.now) == (Outcome.ALREADY, Month(2026, 4).ordinal)
    assert Month.from_ordinal(int(found.holds[1])) == Month(2026, 6)
    part = SwitchLever(plan.model, "base", Switch("rise"), is_start=False)
    strong = seek_goal(plan, (), Goal(end, Sense.AT_LEAST, 165, part, 0, 1.5))
    assert (strong.now, strong.exact) == (0, pytest.approx(0.5))  # nine months at half of 10
    assert strong.goal.lever.steps(0.5) == (Switch("rise", strength=0.5),)


def test_moves_and_lines_are_pulled_at_once():
    plan = moving_plan()
    end = Figure("end", "End", "total", reduction=Reduction.VALUE)
    start = SwitchLever(plan.model, "up", Switch("rise"), is_start=True)
    pulled = pull(plan.model.changes_of("up"), [(Lever("x", Operation.ADD), 2.0), (start, Month(2026, 11).ordinal)])
    assert figure_amounts(plan, [pulled], end)[0] == 13 * 12 + 20
    both = Together(((start, Month(2026, 12).ordinal, Month(2026, 2).ordinal), (Lever("x", Operation.ADD), 0, 5)))
    assert figure_amounts(plan, [both.onto((), 1.0)], end)[0] == 16 * 12 + 110


@law(20)
@forall(st.floats(1, 9), st.floats(1, 9), st.floats(-50, 50))
def test_what_levers_bring_adds_up_to_what_all_do(x, y, add):
    plan = plan_of(given("x", 2), given("y", 3), given("z", 1), calculated("p", "x * y + max(z, 0)"), months=1)
    figure = Figure("p", "P", "p")
    pulled = [(Lever("x"), x), (Lever("y"), y), (Lever("z", Operation.ADD), add)]
    parts = lifts(plan, (), figure, pulled)
    then = figure_amounts(plan, [pull((), pulled)], figure)[0]
    assert parts.sum() == pytest.approx(then - 7, abs=1e-9)
    assert parts[0] == pytest.approx((x - 2) * (3 + y) / 2, abs=1e-9)  # half of it before y moves, half after


def test_what_could_reach_it_instead_needs_least_of_its_range_first():
    """p = 2a + b − c, each within half of 10: 5 more takes half of a's way, all of b's, c down to 5; d does nothing."""
    plan = plan_of(given("a", 10), given("b", 10), given("c", 10), given("d", 10),
                   calculated("p", "2 * a + b - c + 0 * d"), months=1)  # fmt: skip
    goal = Goal(Figure("p", "P", "p"), Sense.AT_LEAST, 25, Lever("d"), 0, 20)
    found = reach_instead(plan, (), goal)
    assert [(each.line, round(each.share, 3)) for each in found] == [("a", 0.5), ("b", 1.0), ("c", 1.0)]
    assert found[0].solution.figure_then == pytest.approx(25)


def test_a_goal_kept_by_the_model_names_a_figure_and_a_case_there_are():
    figure = Figure("p", "P", "a")
    with pytest.raises(UnknownName):
        plan_of(given("a", 1), goals=(PinnedGoal("g", "p", Sense.AT_LEAST, 1, "base"),))
    with pytest.raises(UnknownName):
        plan_of(given("a", 1), figures=(figure,), goals=(PinnedGoal("g", "p", Sense.AT_LEAST, 1, "moon"),))
    kept = plan_of(given("a", 1), figures=(figure,), goals=(PinnedGoal("g", "p", Sense.AT_LEAST, 1, "base"),))
    assert kept.model.goals[0].figure == "p"


@pytest.mark.parametrize(
    ("sense", "value", "target", "room", "holds"),
    [
        (Sense.AT_LEAST, 5, 3, 2, True), (Sense.AT_LEAST, 1, 3, -2, False), (Sense.AT_MOST, 5, 3, -2, False),
        (Sense.AT_MOST, float("inf"), 3, float("-inf"), False), (Sense.EXACTLY, 3, 3, 0, True),
        (Sense.EXACTLY, 3.1, 3, -0.1, False),
    ],
)  # fmt: skip
def test_room_is_what_is_better_than_the_target(sense, value, target, room, holds):
    assert sense.room(value, target) == pytest.approx(room)
    assert sense.holds(value, target) is holds
    assert not sense.holds(float("nan"), target)


def test_a_comparison_in_words_reads_as_it_is_written(demo_plan):
    found = read_figure(demo_plan.model, "months in which EBITDA margin below 12.5 % from Jan 27")
    assert (found.comparison, found.threshold) == (Comparison.BELOW, 0.125)
    assert figure_phrase(demo_plan.model, found) == "months in which EBITDA margin below 12.5 % from Jan 27"
