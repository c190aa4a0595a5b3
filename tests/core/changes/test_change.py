import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.small import given, model_of, plan_of, series
from widefork.core.analysis.waterline import read_waterline
from widefork.core.axes import Month, Timeline
from widefork.core.changes import Case, Change, Move, Operation, Switch, changed_months, resolve
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel, UnknownName

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
        Case("on", "On", "base", moves=(Switch("push"),)),
        Case("later", "Later", "base", moves=(Switch("push", Month(2026, 5), 0.5),)),
        Case("twice", "Twice", "on", moves=(Switch("push"),)),
    )
    assert months_of(plan, "base") == [1] * 6
    assert months_of(plan, "on") == [1, 1, 11, 11, 1, 1]
    assert months_of(plan, "later") == [1, 1, 1, 1, 6, 6]
    assert months_of(plan, "twice") == [1, 1, 21, 21, 1, 1]


def test_a_case_drops_an_inherited_move_but_can_switch_it_on_again():
    on = Case("on", "On", "base", moves=(Switch("push"),))
    off = Case("off", "Off", "on", drops=("push",))
    again = Case("again", "Again", "off", moves=(Switch("push", Month(2026, 1)),))
    plan = plan_with(on, off, again)
    assert months_of(plan, "off") == [1] * 6
    assert months_of(plan, "again") == [11, 11, 1, 1, 1, 1]


def test_moves_come_after_a_cases_own_changes():
    own = (Change("x", Operation.SET, 5),)
    plan = plan_with(Case("on", "On", "base", own, moves=(Switch("push"),)))
    assert months_of(plan, "on") == [5, 5, 15, 15, 5, 5]


def test_unknown_moves_name_the_nearest():
    with pytest.raises(UnknownName, match="Did you mean push"):
        model_of(given("x", 1), cases=(Case("base", "Base", moves=(Switch("pusch"),)),), moves=(PUSH,))


def test_the_demos_moves_help_worst_and_only_together_carry_it(demo_plan):
    model = demo_plan.model
    names = ["price_rise", "supplier_instalments", "short_bridge"]

    def room(*moves):
        tried = Case("tried", "Tried", "worst", moves=tuple(Switch(name) for name in moves))
        changes = resolve({**model.case_by_name, "tried": tried}, model.move_by_name, "tried")
        return read_waterline(evaluate(demo_plan, [changes]), 0).room

    alone = [room(name) for name in names]
    assert all(room() < one < 0 for one in alone)
    assert room(*names) > 0
