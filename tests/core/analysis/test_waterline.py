import pytest

from tests.kit.small import calculated, company, given
from widefork.core.analysis.compare import compare, evaluate_cases
from widefork.core.analysis.waterline import read_waterline
from widefork.core.axes import Month
from widefork.core.changes import Case, Change, Operation
from widefork.core.engine import evaluate
from widefork.core.figures import Figure, Reduction
from widefork.core.graph.model import ScheduleSettings

OVERDRAFT = ScheduleSettings("overdraft", "bank", "Bank", {"limit": 50, "rate": 0, "floor": 0})


def reading(*flows, **more):
    months = {"monthly": {"start": "2026-01", "amounts": list(flows)}}
    plan = company(OVERDRAFT, sales=months, costs=0, months=len(flows), **more)
    return read_waterline(evaluate(plan), 0)


def test_a_dip_below_the_limit_is_read_with_its_months_and_its_depth():
    found = reading(10, -70, -20, 40, 100)
    assert (found.lowest, found.lowest_month, found.room) == (-80, Month(2026, 3), -30)
    assert (found.first_under, found.months_under, found.back_above) == (Month(2026, 2), 2, Month(2026, 4))
    assert found.is_short


def test_using_the_overdraft_within_its_limit_is_not_short():
    found = reading(10, -60, 100)
    assert not found.is_short
    assert (found.lowest, found.room) == (-50, 0)
    assert (found.first_under, found.back_above) == (None, None)


def test_what_is_not_back_above_by_the_end_is_said():
    assert reading(0, -60, -1).back_above is None


def test_actual_months_are_no_plan_and_no_value_is_no_reading():
    assert reading(-70, 100, 1, actual_to=Month(2026, 1)).first_under is None
    assert reading(1, 2, actual_to=Month(2026, 2)) is None
    assert reading(1, 2, lines=(calculated("broken", "1 / 0", posts_to="revenue"),)) is None


def test_cases_compare_to_a_yardstick():
    cases = (Case("base", "Base"), Case("more", "More", "base", (Change("sales", Operation.ADD, 5),)))
    plan = company(OVERDRAFT, lines=(given("extra", 1),), months=4, cases=cases)
    figures = [Figure("s", "S", "sales"), Figure("c", "C", "cash", reduction=Reduction.VALUE)]
    found = compare(evaluate_cases(plan, ["more", "base"]), ["more", "base"], figures, "base")
    assert found.difference(0).tolist() == [20, 0]
    assert found.difference(1).tolist() == pytest.approx([20, 0])
    with pytest.raises(ValueError, match="not among the cases"):
        compare(evaluate_cases(plan, ["base"]), ["base"], figures, "worst")
