import pytest

from tests.kit.small import given, model_of, plan_of, series
from widefork.core.axes import Month
from widefork.core.changes import Case, Change, Operation, Sketch, resolve
from widefork.core.errors import InvalidModel, UnknownName

BASE = Case("base", "Base", None, (Change("x", Operation.SET, 10),))
BEST = Case("best", "Best", "base", (Change("x", Operation.SCALE, 2),))
PINNED = Case("pinned", "Pinned", "base", (Change("x", Operation.SET, 7, (), Month(2026, 3), Month(2026, 4)),))


def test_a_child_rides_on_its_parent_and_its_own_set_wins():
    plan = plan_of(given("x", 1), cases=(BASE, BEST, PINNED))
    assert series(plan, "x", (), plan.model.changes_of("best")) == [20] * 6
    assert series(plan, "x", (), plan.model.changes_of("pinned")) == [10, 10, 7, 7, 10, 10]


def test_a_case_that_descends_from_itself_is_refused():
    with pytest.raises(InvalidModel, match="descends from itself"):
        model_of(given("x", 1), cases=(BASE, Case("a", "A", "b"), Case("b", "B", "a")))


def test_the_first_case_is_the_root():
    with pytest.raises(InvalidModel, match="first case is its root"):
        model_of(given("x", 1), cases=(BEST, BASE))


def test_one_inherited_change_can_be_dropped_by_its_name():
    raise_price = Change("price", Operation.SCALE, 1.1, name="raise_price")
    fewer = Change("kits", Operation.ADD, -5)
    cases = {
        "base": Case("base", "Base", steps=(raise_price, fewer)),
        "calm": Case("calm", "Calm", "base", drops=("raise_price",)),
        "loud": Case("loud", "Loud", "calm", steps=(raise_price,)),
    }
    assert resolve(cases, {}, "calm") == (fewer,)
    assert resolve(cases, {}, "loud") == (fewer, raise_price)
    with pytest.raises(UnknownName, match="raise_price"):
        resolve({**cases, "calm": Case("calm", "Calm", "base", drops=("raise_prise",))}, {}, "calm")


def test_a_sketch_can_be_kept_three_ways():
    sketch = Sketch("best", (Change("kits", Operation.ADD, 5),))
    best = Case("best", "Best", "base", steps=(Change("kits", Operation.SCALE, 2),))
    assert sketch.kept_in_case(best).steps == (*best.steps, *sketch.changes)
    assert sketch.kept_as_fork("bolder", "Bolder") == Case("bolder", "Bolder", "best", sketch.changes)
    assert sketch.kept_as_move("push", "Push", Month(2027, 1)).changes == sketch.changes
