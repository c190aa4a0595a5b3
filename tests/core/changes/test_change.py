from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.small import given, model_of, plan_of, series
from widefork.core.analysis.waterline import read_waterline
from widefork.core.axes import Month, Timeline
from widefork.core.changes import (
    ByAge,
    ByHand,
    ByRule,
    Case,
    Change,
    Move,
    Operation,
    Switch,
    changed_months,
    resolve,
)
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel, UnknownName
from widefork.core.graph.batch import Amounts
from widefork.core.graph.model import Profile
from widefork.core.rules import RULES, read_rule

TIMELINE = Timeline(Month(2026, 1), 12, 1, Month(2026, 2))
FLOW = np.arange(1.0, 13.0).reshape(12, 1)
amounts = st.lists(st.floats(-1e6, 1e6), min_size=12, max_size=12).map(lambda v: np.array(v).reshape(12, 1))
optional_month = st.none() | st.integers(0, 11).map(lambda i: Month(2026, 1).plus(i))


def change(operation, amount=0.0, first=None, last=None, **more):
    months = {key: Month(2026, value) if value else None for key, value in (("first", first), ("last", last))}
    return Change("x", operation, amount, **months, **more)


def after(edit, values=FLOW, is_flow=True):
    return changed_months(values, edit, TIMELINE, is_flow)[:, 0].tolist()


def test_a_delayed_flow_happens_later_and_what_passes_the_end_is_gone():
    assert after(change(Operation.DELAY, 2, first=5)) == [1, 2, 3, 4, 0, 0, 5, 6, 7, 8, 9, 10]
    assert after(change(Operation.DELAY, 2, first=5, last=6)) == [1, 2, 3, 4, 0, 0, 12, 14, 9, 10, 11, 12]


def test_a_delayed_level_holds_its_earlier_value_longer():
    assert after(change(Operation.DELAY, 2, first=5), is_flow=False) == [1, 2, 3, 4, 3, 4, 5, 6, 7, 8, 9, 10]


def test_what_is_put_off_is_caught_up_evenly():
    found = after(change(Operation.DEFER, 0.5, first=3, last=4, catch_up_months=2))
    assert found == [1, 2, 1.5, 2, 5 + 1.75, 6 + 1.75, 7, 8, 9, 10, 11, 12]


@forall(amounts, st.floats(0, 1), st.integers(3, 8), st.integers(1, 4), st.floats(0, 1))
def test_putting_off_within_the_plan_loses_nothing(values, share, last, months, strength):
    edit = change(Operation.DEFER, share, last=last, catch_up_months=months, strength=strength)
    moved = changed_months(values, edit, TIMELINE, is_flow=True)
    assert moved.sum() == pytest.approx(values.sum(), abs=1e-6)
    assert (moved[:2] == values[:2]).all()


@forall(amounts, st.booleans(), optional_month, optional_month)
def test_a_delay_by_nothing_is_nothing(values, is_flow, first, last):
    edit = Change("x", Operation.DELAY, 0, (), first, last)
    assert (changed_months(values, edit, TIMELINE, is_flow) == values).all()


@forall(
    amounts,
    st.sampled_from([Operation.SET, Operation.ADD, Operation.SCALE, Operation.STOP, Operation.DELAY]),
    st.integers(0, 3),
    optional_month,
    optional_month,
    st.floats(0, 1),
)
def test_strength_lies_between_without_and_with_and_actual_months_never_move(
    values, operation, amount, first, last, strength
):
    whole = changed_months(values, Change("x", operation, amount, (), first, last), TIMELINE, is_flow=True)
    part = changed_months(
        values, Change("x", operation, amount, (), first, last, strength=strength), TIMELINE, is_flow=True
    )
    np.testing.assert_allclose(part, values + (whole - values) * strength, rtol=1e-9, atol=1e-6)
    assert (whole[:2] == values[:2]).all()


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (lambda: change(Operation.DELAY, 1.5), "whole number of months"),
        (lambda: change(Operation.DELAY, -1), "whole number of months"),
        (lambda: change(Operation.DEFER, 2, last=5, catch_up_months=1), "between 0 and 1"),
        (lambda: change(Operation.DEFER, 0.5, catch_up_months=1), "needs a last month"),
        (lambda: change(Operation.DEFER, 0.5, last=5), "months to catch up in"),
        (lambda: change(Operation.SET, 1, strength=2), "strength lies between"),
        (lambda: after(change(Operation.DEFER, 0.5, last=5, catch_up_months=1), is_flow=False), "Only a flow"),
    ],
)
def test_changes_that_cannot_be_are_refused(make, said):
    with pytest.raises(InvalidModel, match=said):
        make()


PUSH = Move("push", "Push", Month(2026, 3), (Change("x", Operation.ADD, 10, (), Month(2026, 3), Month(2026, 4)),))


def plan_with(*cases, moves=(PUSH,)):
    return plan_of(given("x", 1), cases=(Case("base", "Base"), *cases), moves=moves)


def months_of(plan, case):
    return series(plan, "x", (), plan.model.changes_of(case))


def test_a_move_is_switched_on_at_its_own_or_another_start_and_strength():
    plan = plan_with(
        Case("on", "On", "base", (Switch("push"),)),
        Case("later", "Later", "base", (Switch("push", Month(2026, 5), 0.5),)),
        Case("sooner", "Sooner", "on", (Change("x", Operation.SCALE, 2), Switch("push", Month(2026, 1)))),
    )
    assert months_of(plan, "base") == [1] * 6
    assert months_of(plan, "on") == [1, 1, 11, 11, 1, 1]
    assert months_of(plan, "later") == [1, 1, 1, 1, 6, 6]
    # It stays where it is inherited, before what the case does itself.
    assert months_of(plan, "sooner") == [22, 22, 2, 2, 2, 2]


def test_a_case_drops_an_inherited_move_but_can_switch_it_on_again():
    on = Case("on", "On", "base", (Switch("push"),))
    off = Case("off", "Off", "on", drops=("push",))
    again = Case("again", "Again", "off", (Switch("push", Month(2026, 1)),))
    plan = plan_with(on, off, again)
    assert months_of(plan, "off") == [1] * 6
    assert months_of(plan, "again") == [11, 11, 1, 1, 1, 1]


def test_steps_apply_in_the_order_they_were_taken_changes_and_moves_alike():
    typed = Change("x", Operation.SET, 5)
    plan = plan_with(
        Case("moved_last", "Moved last", "base", (typed, Switch("push"))),
        Case("typed_last", "Typed last", "base", (Switch("push"), typed)),
    )
    assert months_of(plan, "moved_last") == [5, 5, 15, 15, 5, 5]
    assert months_of(plan, "typed_last") == [5] * 6


RAMP = (0.25, 0.5, 1.0)
APRIL = Month(2026, 4)


@pytest.mark.parametrize(
    ("operation", "amount", "course", "months"),
    [
        (Operation.SET, 0, ByHand((7.0, None, 9.0)), [4, 4, 4, 7, 4, 9, 4, 4]),
        (Operation.ADD, 0, ByHand((7.0, None, 9.0)), [4, 4, 4, 11, 4, 13, 4, 4]),
        (Operation.SCALE, 0, ByRule(read_rule(RULES, {"steps": {"2026-04": 2, "2026-06": 3}}), APRIL),
         [4, 4, 4, 8, 8, 12, 12, 12]),
        (Operation.ADD, 8, ByAge("ramp", RAMP), [4, 4, 4, 6, 8, 12, 12, 12]),
        (Operation.SET, 8, ByAge("ramp", RAMP, 1), [4, 4, 4, 4, 8, 8, 8, 8]),
    ],
)  # fmt: skip
def test_an_amount_runs_by_month_from_the_changes_first(operation, amount, course, months):
    change = Change("x", operation, amount, first=APRIL, course=course)
    plan = plan_of(given("x", 4), months=8, profiles=(Profile("ramp", "Ramp", RAMP),))
    assert series(plan, "x", (), [change]) == months
    assert series(plan, "x", (), [replace(change, strength=0.5)]) == [(4 + month) / 2 for month in months]
    # Its first months cut off, the others stay; and history before it ends stays as it is.
    later = series(plan, "x", (), [change.starting(Month(2026, 6))])
    assert later == [4] * 5 + months[5:]
    closed = replace(plan.model.timeline, last_actual=Month(2026, 5))
    assert (
        series(plan_of(given("x", 4), timeline=closed, profiles=(Profile("ramp", "Ramp", RAMP),)), "x", (), [change])
        == later
    )


def test_a_move_takes_its_amounts_by_month_with_it():
    rule = ByRule(read_rule(RULES, {"steps": {"2026-03": 2, "2026-04": 3}}), Month(2026, 3))
    push = Move("push", "Push", Month(2026, 3), (Change("x", Operation.SET, first=Month(2026, 3), course=rule),))
    plan = plan_with(Case("later", "Later", "base", (Switch("push", Month(2026, 5)),)), moves=(push,))
    assert months_of(plan, "later") == [1, 1, 1, 1, 2, 3]


def test_amounts_by_month_need_a_first_month_and_an_operation_on_months():
    with pytest.raises(InvalidModel, match="first month"):
        Change("x", Operation.SET, course=ByHand((1.0,)))
    with pytest.raises(InvalidModel, match="differ by month"):
        Change("x", Operation.STOP, first=APRIL, course=ByHand((1.0,)))
    with pytest.raises(InvalidModel, match="profile"):
        model_of(
            given("x", 1),
            cases=(
                Case("base", "Base", None, (Change("x", Operation.SET, first=APRIL, course=ByAge("rampp", RAMP)),)),
            ),
        )


def test_a_batch_takes_each_entrys_own_multiple_of_a_profile():
    plan = plan_of(given("x", 4), months=6, profiles=(Profile("ramp", "Ramp", RAMP),))
    change = Change("x", Operation.ADD, 8, first=APRIL, course=ByAge("ramp", RAMP))
    found = evaluate(plan, Amounts((), (change,), np.array([[8.0], [4.0], [0.0]]))).values("x")
    assert found.T.tolist() == [[4, 4, 4, 6, 8, 12], [4, 4, 4, 5, 6, 8], [4] * 6]


def test_unknown_moves_name_the_nearest():
    with pytest.raises(UnknownName, match="Did you mean push"):
        model_of(given("x", 1), cases=(Case("base", "Base", steps=(Switch("pusch"),)),), moves=(PUSH,))


def test_the_demos_moves_help_worst_and_only_together_carry_it(demo_plan):
    model = demo_plan.model
    names = ["price_rise", "supplier_instalments", "short_bridge"]

    def room(*moves):
        tried = Case("tried", "Tried", "worst", tuple(Switch(name) for name in moves))
        changes = resolve({**model.case_by_name, "tried": tried}, model.move_by_name, "tried")
        return read_waterline(evaluate(demo_plan, [changes]), 0).room

    alone = [room(name) for name in names]
    assert all(room() < one < 0 for one in alone)
    assert room(*names) > 0
