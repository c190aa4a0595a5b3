"""Two assumptions at once: the sides, the square, where a goal is met."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import calculated, given, plan_of
from widefork.core.analysis.figures import answer
from widefork.core.analysis.sensitivity import Of, read_axis, try_square
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation, Switch, resolve
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.figures import Figure, Reduction

LINES = (given("kits", 40), given("price", 25), calculated("sales", "kits * price"))
SALES = Figure("s", "S", "sales")


def test_a_square_is_every_pair():
    plan = plan_of(*LINES, months=1)
    across, down = read_axis(plan, "base", "kits: 30 to 50"), read_axis(plan, "base", "price: -20 % to +20 %")
    found = try_square(plan, "base", SALES, across, down)
    assert found.values.shape == (41, 41)
    assert found.values == pytest.approx(np.outer(down.amounts * 25, across.amounts))
    assert across.amounts[across.coarse[5]] == across.now == 40
    assert (down.now, across.operation, down.operation) == (1.0, Operation.SET, Operation.SCALE)


@law(40)
@drawn(now=st.floats(31, 49), start=st.floats(0, 30), width=st.floats(20, 90))
def test_where_things_stand_is_read_as_a_number_and_amounts_rise(now, start, width):
    axis = read_axis(plan_of(given("kits", now), months=1), "base", f"kits: {start:.3f} to {start + width:.3f}")
    assert len(axis.amounts) == 41
    assert np.all(np.diff(axis.amounts) > 0)
    if start < now < start + width:
        assert now in axis.amounts[list(axis.coarse)]
    assert axis.coarse[0] == 0
    assert axis.coarse[-1] == 40


def test_the_goal_lies_where_the_product_reaches_it():
    plan = plan_of(*LINES, months=1)
    sides = read_axis(plan, "base", "kits: 20 to 60"), read_axis(plan, "base", "price: 10 to 60")
    found = try_square(plan, "base", SALES, *sides)
    for amount, own in zip(found.across.amounts, found.along(1000.0), strict=True):
        assert own == (pytest.approx(1000 / amount),)  # linear in the price
    for line in found.contour(1000.0):
        assert line[:, 0] * line[:, 1] == pytest.approx(np.full(len(line), 1000.0), rel=2e-3)
    assert found.reaches(1000.0, True).mean() == pytest.approx(1 - found.reaches(999.999999, False).mean())


@pytest.mark.parametrize(
    ("text", "operation", "ends", "now"),
    [
        ("kits: 0 to 12 months later", Operation.DELAY, (0, 12), 0),
        ("kits: +0 to +500", Operation.ADD, (0, 500), 0),
        ("kits: x 0.5 to x 2", Operation.SCALE, (0.5, 2), 1),
        ("kits: 0 to +20 %", Operation.SCALE, (1, 1.2), 1),
        ("kits: −30 % to 30 %", Operation.SCALE, (0.7, 1.3), 1),
        ("kits: 10 – 60", Operation.SET, (10, 60), 40),
        ("kits", Operation.SCALE, (0.7, 1.3), 1),
    ],
)
def test_sides_are_written_as_people_write_them(text, operation, ends, now):
    axis = read_axis(plan_of(*LINES), "base", text)
    assert (axis.operation, axis.now) == (operation, now)
    assert (axis.amounts[0], axis.amounts[-1]) == (pytest.approx(ends[0]), pytest.approx(ends[1]))


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("kits: 60 to 10", "has no width"),
        ("kits: 10 to 10", "has no width"),
        ("kits: 10", "Expected a range like"),
        ("kits: a lot to more", "is no value"),
        ("kits: +5 to x 2", "one kind of amount to another"),
        ("nothing: 1 to 2", "nothing"),
        ("start of nothing", "nothing"),
    ],
)
def test_sides_that_cannot_be_read_say_why(text, said):
    with pytest.raises((InvalidValue, UnknownName), match=said):
        read_axis(plan_of(*LINES), "base", text)


def test_the_same_assumption_cannot_go_both_ways():
    plan = plan_of(*LINES)
    axis = read_axis(plan, "base", "kits")
    with pytest.raises(InvalidValue, match="cannot go both ways"):
        try_square(plan, "base", SALES, axis, axis)


def test_a_label_may_hold_a_colon_and_the_name_decides_between_labels_alike():
    lines = (
        *(replace(given(name, 5), label="Shop: fee at the door") for name in ("fee", "other")),
        calculated("sales", "fee + other"),
    )
    plan = plan_of(*lines)
    assert read_axis(plan, "base", "Shop: fee at the door: 1 to 9").name == "fee"
    assert read_axis(plan, "base", "Shop: fee at the door").name == "fee"
    assert read_axis(plan, "base", "other: 1 to 9").name == "other"


@pytest.mark.parametrize("case", ["base", "worst"])
def test_starts_delays_and_strengths_are_what_a_case_with_them_says(demo_plan, case):
    model, figure = demo_plan.model, demo_plan.model.figure("lowest_cash")
    start = read_axis(demo_plan, case, "start of second_lab: 2026-10 to 2027-03")
    strength = read_axis(demo_plan, case, "strength of second_lab: 0 % to 100 %")
    delay = read_axis(demo_plan, case, "panel_contracts: 0 to 4 months later")
    assert (start.of, strength.of, len(start.amounts), len(delay.amounts)) == (Of.START, Of.STRENGTH, 6, 5)
    both = try_square(demo_plan, case, figure, start, strength)
    late = try_square(demo_plan, case, figure, delay, start)

    def figure_of(*steps):
        own = model.case(case).followed_by(steps)
        return answer(
            figure, evaluate(demo_plan, [resolve({**model.case_by_name, case: own}, model.move_by_name, case)])
        )

    for row, column in ((0, 0), (20, 3), (40, 5)):
        month, share = start.amounts[column], float(strength.amounts[row])
        switch = Switch("second_lab", start.step(month).start, share)
        assert both.values[row, column] == pytest.approx(float(figure_of(switch).amounts[0]))
    for row, column in ((0, 0), (3, 2), (5, 4)):
        steps = (start.step(start.amounts[row]), Change("panel_contracts", Operation.DELAY, delay.amounts[column]))
        assert late.values[row, column] == pytest.approx(float(figure_of(*steps).amounts[0]))
        assert late.steps(row, column) == steps


def test_a_goal_that_is_a_month_is_passed_at_the_first_amount_that_meets_it():
    # profit from the month in which 10 a month, times the factor, have come to 30: constructed
    lines = (given("kits", 10), given("other", 0), calculated("all", "kits * month_number + other"))
    figure = Figure("f", "F", "all", reduction=Reduction.FIRST_MONTH, threshold=30.0)
    plan = plan_of(*lines, months=6)
    sides = read_axis(plan, "base", "other: 0 to 1"), read_axis(plan, "base", "kits: 0 to 20")
    found = try_square(plan, "base", figure, *sides)
    goal = float(Month(2026, 2).ordinal)  # 2 * 15 are 30
    assert found.along(goal, False)[0] == (pytest.approx(15.0),)
    assert not found.reaches(goal, False)[0].any()  # without a kit it is never met
    never = found.along(float(Month(2026, 6).ordinal), False)[0]
    assert never == (5.0,)  # 6 * 5 are 30; below that there is no answer at all
