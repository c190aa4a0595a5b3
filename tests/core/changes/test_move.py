"""Moves: shifted and weakened or strengthened as settled, one at a time where they exclude one another."""

from dataclasses import replace

import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import given, plan_of, series
from widefork.core.axes import Month
from widefork.core.changes import Aim, Case, Change, Move, Operation, Sketch, Switch, layers, moved
from widefork.core.errors import InvalidModel

MARCH, MAY = Month(2026, 3), Month(2026, 5)
LATER = Change("start_later", Operation.WITH_MOVE)


def push(*changes, group="", name="push"):
    return Move(name, name.title(), MARCH, changes, group=group)


@law(60)
@forall(st.sampled_from([0.0, 0.4, 0.5, 1.0, 1.2, 1.5]), st.integers(-2, 6))
def test_each_kind_of_change_takes_a_strength_in_its_own_way(strength, by):
    amounts = {Operation.SET: 7.0, Operation.ADD: 7.0, Operation.SCALE: 2.0, Operation.STOP: 0.0, Operation.DELAY: 3.0}
    changes = [Change("x", operation, amount, first=MARCH) for operation, amount in amounts.items()]
    put_off = Change("x", Operation.DEFER, 0.5, first=MARCH, last=MAY, catch_up_months=2)
    move = push(*changes, put_off)
    start = MARCH.plus(by)
    found = {change.operation: change for change in moved(move, Switch("push", start, strength))}
    assert all(change.first == start for change in found.values())
    for operation in (Operation.ADD, Operation.SCALE):
        assert (found[operation].amount, found[operation].strength) == (amounts[operation], strength)
    for operation in (Operation.SET, Operation.STOP):  # it happens or it does not
        assert (found[operation].amount, found[operation].strength) == (amounts[operation], float(strength > 0))
    assert found[Operation.DELAY].amount == {0.0: 0, 0.4: 1, 0.5: 2}.get(strength, 3)
    assert found[Operation.DEFER].strength == min(strength, 1)


def test_dates_come_with_the_move_and_are_none_where_it_starts_as_planned():
    move = push(LATER, Change("x", Operation.ADD, 1.0))
    assert [change.line for change in moved(move, Switch("push"))] == ["x"]
    assert [change.line for change in moved(move, Switch("push", MARCH.plus(4), 0.0))] == ["x"]
    later, _ = moved(move, Switch("push", MARCH.plus(4)))
    assert (later.operation, later.amount, later.first) == (Operation.ADD, 4.0, None)
    sooner, _ = moved(move, Switch("push", MARCH.plus(-1), 0.5))
    assert (sooner.amount, sooner.strength) == (-1.0, 1.0)


def test_half_as_much_again_is_added_and_scaled():
    plan = plan_of(
        given("x", 10), given("y", 10),
        cases=(Case("base", "Base", steps=(Switch("push", None, 1.5),)),),
        moves=(push(Change("x", Operation.ADD, 4), Change("y", Operation.SCALE, 1.2)),),
    )  # fmt: skip
    changes = plan.model.changes_of("base")
    assert series(plan, "x", (), changes)[0] == 16
    assert series(plan, "y", (), changes)[0] == pytest.approx(13)


GROUP = tuple(push(Change("x", Operation.ADD, 1.0), group="one", name=name) for name in ("few", "fewer", "none"))
MOVES = {move.name: move for move in GROUP}


def on(cases, name):
    return [layer.move for layer in layers({case.name: case for case in cases}, MOVES, name)]


def test_of_moves_that_exclude_one_another_the_latest_is_on():
    base = Case("base", "Base", None, (Switch("few"),))
    other = Case("other", "Other", "base", (Switch("fewer"),))
    back = Case("back", "Back", "other", (Switch("few"),))
    assert on((base, other, back), "base") == ["few"]
    assert on((base, other, back), "other") == ["fewer"]
    assert on((base, other, back), "back") == ["few"]
    assert on((base, replace(other, steps=(), drops=("few",))), "other") == []


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (lambda: Switch("push", None, 1.6), "between 0 and 150 %; 160 %"),
        (lambda: Change("x", Operation.SET, 1, strength=1.2), "between 0 and 1;"),
        (lambda: Case("base", "Base", None, (LATER,)), "only where it is part of one"),
        (lambda: Move("m", "M", MARCH, aims=(Aim("cash", 1), Aim("cash", 2))), "two aims for cash"),
        (lambda: plan_of(given("x", 1), cases=(Case("base", "Base", None, (Switch("few"), Switch("none"))),),
                         moves=GROUP), "Few and None, of which only one can be on"),
        (lambda: plan_of(given("x", 1), moves=(replace(GROUP[0], aims=(Aim("cash", 1),)),)), "no figure “cash”"),
    ],
)  # fmt: skip
def test_moves_that_cannot_be_are_refused(make, said):
    with pytest.raises(InvalidModel, match=said):
        make()


def test_a_sketch_switches_moves_before_it_changes_lines():
    sketch = Sketch("base", (Change("x", Operation.SCALE, 2.0),), (Switch("few"),))
    plan = plan_of(given("x", 1), moves=GROUP)
    sketched = replace(plan.model, sketch=sketch)
    assert series(plan, "x", (), sketched.changes_of("base"))[0] == 4
    kept = replace(plan.model, cases=(sketch.kept_in_case(plan.model.cases[0]),))
    assert kept.changes_of("base") == sketched.changes_of("base")
