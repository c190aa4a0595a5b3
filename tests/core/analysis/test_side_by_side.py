"""Values of several cases given at once: each case shows what was given, and nothing else moves."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.core.changes.test_family import MOVES, families
from tests.kit.laws import law
from tests.kit.small import given, model_of
from widefork.core.analysis.compare import evaluate_cases
from widefork.core.analysis.side_by_side import Given, months_of, root_changes, steps_for
from widefork.core.axes import Month
from widefork.core.changes import ByHand, Case, Change, Family, Operation, Switch
from widefork.core.errors import InvalidValue
from widefork.core.finance.assemble import build_plan
from widefork.core.lines import BALANCE, Line

JAN, FEB, MAR, APR, MAY, JUN = (Month(2026, month) for month in range(1, 7))
PERIODS = ((JAN, MAR), (APR, JUN), (FEB, FEB), (JAN, JUN), (MAY, MAY))
LEVEL = replace(given("price", 10), rollup=BALANCE)
FLOW = given("volume", {"growth": {"base": 3, "rate": 0.1, "since": "2026-01"}})


def plan_of(family, price: Line = LEVEL):
    return build_plan(replace(model_of(price, FLOW), cases=family.cases, moves=tuple(family.moves.values())))


def months(results, line, place):
    return results.series(line, (), place)


def settled(family, case, givens, holds=False):
    """A case of a family with values given; the plan before and after."""
    plan = plan_of(family)
    names = [one.name for one in family.cases]
    before = evaluate_cases(plan, names)
    now = {(line, ()): months(before, line, names.index(case)) for line in ("price", "volume")}
    return family.with_steps(case, steps_for(plan, family, case, givens, now, holds)), before


givens_of = st.lists(
    st.builds(
        lambda line, period, amount: (line, *period, amount),
        st.sampled_from(("price", "volume")), st.sampled_from(PERIODS), st.sampled_from((0.0, 12.0, 40.0)),
    ),
    min_size=1, max_size=4, unique_by=lambda entry: entry[0],
)  # fmt: skip


@law(60)
@forall(families(), givens_of, st.booleans(), st.data())
def test_a_case_shows_what_was_given_and_nothing_else_moves(family, entries, holds, data):
    case = data.draw(st.sampled_from([one.name for one in family.cases[1:]]))
    givens = [Given(case, line, (), first, last, amount) for line, first, last, amount in entries]
    after, before = settled(family, case, givens, holds)
    names = [one.name for one in family.cases]
    results = evaluate_cases(plan_of(after), names)
    timeline = results.plan.model.timeline
    place = names.index(case)
    for line in ("price", "volume"):
        now, was = months(results, line, place), months(before, line, place)
        touched = np.zeros(len(now), dtype=bool)
        for one in (one for one in givens if one.line == line):
            span = timeline.span(one.first, one.last)
            touched[span] = True
            if line == "volume":
                assert now[span].sum() == pytest.approx(one.amount, abs=1e-6)
            else:
                assert now[span] == pytest.approx(one.amount)
        if not any(change.line == line and not change.is_simple for change in family.case(case).changes):
            assert now[~touched] == pytest.approx(was[~touched])
    below = (case, *family.forks_of(case))
    for other, name in enumerate(names):
        if name not in below:
            for line in ("price", "volume"):
                assert months(results, line, other).tolist() == months(before, line, other).tolist()


@law(60)
@forall(families(), givens_of, st.data())
def test_what_was_given_once_changes_nothing_given_again(family, entries, data):
    case = data.draw(st.sampled_from([one.name for one in family.cases[1:]]))
    givens = [Given(case, line, (), first, last, amount) for line, first, last, amount in entries]
    once, _ = settled(family, case, givens)
    twice, _ = settled(once, case, givens)
    results = [evaluate_cases(plan_of(one), [case]) for one in (once, twice)]
    for line in ("price", "volume"):
        assert months(results[0], line, 0) == pytest.approx(months(results[1], line, 0))
    assert len(twice.case(case).steps) <= len(once.case(case).steps)


def family_of(*steps):
    return Family((Case("base", "Base"), Case("one", "One", "base", steps)), MOVES)


def test_a_value_the_case_inherits_makes_no_step_and_takes_its_own_away():
    own = Change("price", Operation.SET, 12.0, first=JAN, note="why")
    after, _ = settled(family_of(own), "one", [Given("one", "price", (), JAN, JUN, 10.0)])
    assert after.case("one").steps == ()
    held, _ = settled(family_of(own), "one", [Given("one", "price", (), JAN, JUN, 10.0)], holds=True)
    assert held.case("one").steps == (Change("price", Operation.SET, 10.0, (), JAN, JUN, "why"),)


def test_one_step_for_each_line_and_what_is_relative_elsewhere_stays_so():
    steps = (
        Change("price", Operation.SCALE, 0.5),
        Change("price", Operation.SET, 7.0, first=FEB, last=FEB),
        Switch("push"),
    )
    after, _ = settled(family_of(*steps), "one", [Given("one", "price", (), MAY, JUN, 20.0)])
    assert after.case("one").steps == (
        Change("price", Operation.SCALE, 0.5, last=APR),
        Switch("push"),
        Change("price", Operation.SET, 0.0, (), FEB, JUN, course=ByHand((7.0, None, None, 20.0, 20.0))),
    )


def test_a_total_holds_its_actual_months_and_the_rest_takes_the_present_shape():
    timeline = model_of(FLOW, actual_to=FEB).timeline
    now = np.array([3.0, 4.0, 1.0, 2.0, 3.0, 6.0])
    # 7 in the two actual months; 29 are left for weights of 1, 2, 3 and 6
    span, amounts = months_of(Given("one", "volume", (), JAN, JUN, 36.0), FLOW, now, timeline)
    assert (span, amounts.tolist()) == (slice(2, 6), pytest.approx([29 / 12, 58 / 12, 87 / 12, 174 / 12]))
    _, evenly = months_of(Given("one", "volume", (), JAN, JUN, 47.0), FLOW, np.array([3.0, 4.0, 0, 0, 0, 0]), timeline)
    assert evenly.tolist() == [10.0] * 4
    with pytest.raises(InvalidValue, match="hold 7 already, more than 5"):
        months_of(Given("one", "volume", (), JAN, JUN, 5.0), FLOW, now, timeline)
    with pytest.raises(InvalidValue, match="is history"):
        months_of(Given("one", "volume", (), JAN, FEB, 5.0), FLOW, now, timeline)
    assert months_of(Given("one", "price", (), JAN, MAR, 5.0), LEVEL, now, timeline)[1].tolist() == [5.0]


def test_the_root_takes_its_values_where_they_are_others():
    results = evaluate_cases(plan_of(family_of()), ["base", "one"])
    givens = [Given("base", "price", (), JAN, MAR, 10.0), Given("base", "price", (), APR, APR, 11.0)]
    assert root_changes(givens, results, 0) == (Change("price", Operation.SET, 11.0, (), APR, APR),)
