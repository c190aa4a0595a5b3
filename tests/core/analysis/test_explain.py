import numpy as np
import pytest

from tests.kit.small import START, calculated, given, plan_of
from widefork.core.analysis.explain import Kind, explain, origin_of_error
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.lines import OverMembers, OverTime, Rollup

PLAN = plan_of(
    given("kits", {("Coast",): 1, ("Valley",): 2, ("Upland",): 3}, over=("region",), actuals={("Coast",): (7.0,)}),
    given("price", {"steps": {"2026-01": 10, "2026-03": 20}}),
    calculated("revenue", "kits * price", over=("region",)),
    calculated("total", "sum_over(revenue) - before(total) * 10 %"),
    calculated("share", "total / (price - 10)"),
    calculated("worse", "share + 1"),
    calculated("margin", "total / price", rollup=Rollup(OverTime.RATIO, OverMembers.RATIO, "total", "price")),
    actual_to=START,
)
MAR = Month(2026, 3)


def ask(name, members=(), first=MAR, last=None, changes=()):
    results = evaluate(PLAN, [changes])
    return explain(results, 0, tuple(changes), name, members, first, last or first, lambda _, value: f"{value:g}")


def test_a_formula_shows_its_values_and_its_parts():
    found = ask("revenue", ("Valley",))
    assert (found.kind, found.value, found.formula, found.filled) == (Kind.FORMULA, 40, "kits * price", "2 * 20")
    assert [(p.line, p.members, p.value) for p in found.parts] == [("kits", ("Valley",), 2), ("price", (), 20)]


@pytest.mark.parametrize("formula", ["before(trailing(fees, 2))", "before(before(before(before(fees))))"])
def test_what_is_looked_back_on_before_the_start_names_lines_of_the_model(formula):
    plan = plan_of(given("fees", 9), calculated("deep", formula))
    found = explain(evaluate(plan), 0, (), "deep", (), START, START, lambda _, value: f"{value:g}")
    assert {part.line for part in found.parts} == {"fees"}


def test_sums_and_lags_are_links_to_what_they_read():
    found = ask("total")
    assert found.filled == f"120 - {ask('total', first=Month(2026, 2)).value:g} * 10 %"
    assert [(p.line, p.first, p.role) for p in found.parts][1] == ("total", Month(2026, 2), "the month before")
    assert found.dependents == ("share", "margin")


def test_the_months_of_a_range_and_the_members_of_a_whole_add_up():
    for found in (ask("revenue", ("Coast",), START, MAR), ask("revenue")):
        assert sum(part.value for part in found.parts) == pytest.approx(found.value)
    assert ask("revenue").kind is Kind.MEMBERS


def test_ratios_divide_after_rolling_up():
    found = ask("margin", (), START, MAR)
    assert found.kind is Kind.RATIO
    assert found.value == pytest.approx(found.parts[0].value / found.parts[1].value)


def test_actuals_and_assumptions_are_the_bottom():
    assert ask("kits", ("Coast",), START).kind is Kind.ACTUAL
    assert ask("kits", ("Coast",)).kind is Kind.ASSUMPTION
    assert ask("kits", ("Coast",)).parts == ()


def test_the_changes_of_a_case_that_touch_a_value_are_named():
    late = Change("price", Operation.ADD, 1, (), Month(2026, 4))
    coast = Change("kits", Operation.SCALE, 2, (("region", "Coast"),))
    assert ask("price", changes=[late]).changes == ()
    assert ask("price", first=Month(2026, 5), changes=[late]).changes == (late,)
    assert ask("kits", ("Coast",), changes=[coast]).changes == (coast,)
    assert ask("kits", ("Valley",), changes=[coast]).changes == ()


def test_an_error_value_names_its_origin():
    results = evaluate(PLAN)
    origin = origin_of_error(results, 0, "worse", (), Month(2026, 2))
    assert (origin.line, origin.first) == ("share", Month(2026, 2))
    assert origin_of_error(results, 0, "total", (), MAR) is None


def test_every_demo_figure_can_be_followed_down_to_assumptions(demo_plan):
    results = evaluate(demo_plan, [demo_plan.model.changes_of("worst")])
    month = Month(2027, 5)
    waiting, seen = [("cash_after_overdraft", (), month)], set()
    ends = set()
    while waiting and len(seen) < 4000:
        name, members, when = waiting.pop()
        if (name, members) in seen or not when >= START:
            continue
        seen.add((name, members))
        found = explain(results, 0, (), name, members, when, when, lambda _, value: f"{value:g}")
        line = demo_plan.model.line(name)
        assert np.isfinite(found.value) != (not members and not line.rollup.has_total(False, bool(line.dimensions)))
        if found.kind in (Kind.ASSUMPTION, Kind.ACTUAL):
            ends.add(name)
        waiting += [(part.line, part.members, part.first) for part in found.parts]
    assert {"kit_price", "staff_salary", "municipal_days", "rent"} <= ends
