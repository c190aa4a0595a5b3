import pytest

from tests.kit.small import calculated, plan_of, series
from widefork.core.axes import Month, Timeline
from widefork.core.graph.counters import COUNTERS, counter_values

TIMELINE = Timeline(Month(2026, 11), 8, fiscal_year_start=4, last_actual=Month(2026, 12))
EXPECTED = {
    "month_number": [1, 2, 3, 4, 5, 6, 7, 8],
    "month_of_year": [11, 12, 1, 2, 3, 4, 5, 6],
    "quarter": [3, 3, 4, 4, 4, 1, 1, 1],
    "fiscal_month": [8, 9, 10, 11, 12, 1, 2, 3],
    "fiscal_year": [2027] * 5 + [2028] * 3,
    "year_number": [1] * 5 + [2] * 3,
    "days_in_month": [30, 31, 31, 28, 31, 30, 31, 30],
    "months_per_year": [12] * 8,
    "days_per_month": [30] * 8,
    "is_actual": [1, 1, 0, 0, 0, 0, 0, 0],
    "is_plan": [0, 0, 1, 1, 1, 1, 1, 1],
}


@pytest.mark.parametrize("name", [name for name in COUNTERS if name != "month"])
def test_every_counter_counts(name):
    assert counter_values(TIMELINE)[name].tolist() == EXPECTED[name]


@pytest.mark.parametrize("name", COUNTERS)
def test_every_counter_may_be_used_by_name_and_says_what_it_is(name):
    assert COUNTERS[name][0]
    assert len(series(plan_of(calculated("x", f"{name} * 1"), timeline=TIMELINE), "x")) == 8


def test_the_month_compares_with_months():
    plan = plan_of(calculated("x", "if month >= Feb 2027 and month < Apr 2027 then 1 else 0"), timeline=TIMELINE)
    assert series(plan, "x") == [0, 0, 0, 1, 1, 0, 0, 0]
