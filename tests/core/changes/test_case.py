import pytest

from tests.small import given, model_of, plan_of, series
from widefork.core.axes import Month
from widefork.core.changes import Case, Change, Operation
from widefork.core.errors import InvalidModel

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
