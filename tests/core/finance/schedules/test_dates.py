"""Dates that come later: whatever comes k months later by its line is what it is with its date k months later."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.core.finance.sample import bare
from tests.kit.laws import law
from tests.kit.small import company, given
from widefork.core.axes import Dimension, Month
from widefork.core.changes import Case, Change, Move, Operation, Switch, moved
from widefork.core.engine import evaluate
from widefork.core.graph.model import ScheduleSettings

ACTUAL, MONTHS = Month(2026, 3), 30
FIRST = ACTUAL.plus(1)
LOAN = {"amount": 9000, "rate": 0.08, "term_months": 14}
WAYS = {
    "loan": LOAN,
    "straight loan": {**LOAN, "repayment": "straight", "balloon": 1000, "drawn_at": "beginning"},
    "bullet loan": {**LOAN, "repayment": "bullet", "interest_on": "average"},
    "loan that waits": {**LOAN, "interest_only_months": 3, "after_early": "fewer"},
    "lease": {"payment": 400, "term_months": 10, "rate": 0.05},
    "rented": {"payment": 400, "term_months": 10, "treatment": "expense"},
}
FACTS = {
    "asset_register": {"cost": 6000, "life_months": 9, "salvage": 600},
    "contracts": {"fee": 900, "rhythm": "quarterly", "renewal": 0.5},
    "people": {"teams": "Crew", "salary": 3000},
}
CREW = Dimension("teams", ("Crew",), attributes={"Crew": {"heads": 2, "salary": 2000, "hire_cost": 500, "ramp": 3}})


def with_date(way, month, end=None):
    """A company with one thing that begins in a month."""
    if way in WAYS:
        key = "drawn_in" if "loan" in way else "begins"
        kind = "loan" if "loan" in way else "lease"
        return company(bare(kind, **WAYS[way], **{key: str(month)}), months=MONTHS, actual_to=ACTUAL)
    known = {**FACTS[way], {"asset_register": "bought"}.get(way, "start"): str(month)}
    if end is not None:
        known[{"asset_register": "sold"}.get(way, "end")] = str(end)
    things = Dimension("things", ("One", "Two"), attributes={"One": known, "Two": {**known, "salary": 2500}})
    settings = {"register": "things"}
    lines = (given("fees", 0, unit="EUR"),)
    more = (things,)
    if way == "contracts":
        settings["of"] = ["fees"]
    if way == "people":
        settings, more = {"register": "teams", "seats": "things"}, (CREW, things)
    return company(bare(way, **settings), lines=lines, months=MONTHS, actual_to=ACTUAL, more_dimensions=more)


def later(way, by):
    part = "it_seat_later" if way == "people" else "it_later"
    return Change(part, Operation.ADD, float(by))


def statements(plan, changes=()):
    """The months of every caption, which is all a reader sees of it."""
    results = evaluate(plan, [changes])
    names = [line.name for line in plan.model.lines if line.source is not None and line.source.schedule == "statements"]
    return {name: results.series(name) for name in names}


@law(60)
@forall(st.sampled_from([*WAYS, *FACTS]), st.integers(0, 8), st.integers(-9, 9), st.booleans())
def test_what_comes_later_by_its_line_is_what_its_date_later_says(way, begins, by, ends):
    planned = FIRST.plus(begins)
    by = max(by, -begins)  # nothing comes in a month that is over
    end = planned.plus(6) if ends else None
    moved_there = with_date(way, planned.plus(by), None if end is None else end.plus(by))
    found = statements(with_date(way, planned, end), (later(way, by),))
    for name, months in statements(moved_there).items():
        np.testing.assert_allclose(found[name], months, rtol=1e-9, atol=1e-6, err_msg=name)


@pytest.mark.parametrize("way", [*WAYS, *FACTS])
def test_sooner_than_the_first_plan_month_is_that_month(way):
    found = statements(with_date(way, FIRST.plus(2)), (later(way, -20),))
    for name, months in statements(with_date(way, FIRST)).items():
        np.testing.assert_allclose(found[name], months, rtol=1e-9, atol=1e-6, err_msg=name)


@pytest.mark.parametrize("way", [*WAYS, *FACTS])
def test_what_has_begun_stays(way):
    plan = with_date(way, Month(2026, 2))
    before, after = statements(plan), statements(plan, (later(way, 4),))
    for name, months in before.items():
        np.testing.assert_array_equal(after[name], months, err_msg=name)


def test_a_bridge_loan_is_drawn_when_its_move_starts():
    """By hand: 9,000 drawn in August rather than May, all of it repaid twelve months later."""
    loan = ScheduleSettings("loan", "it", "It", {"amount": 0, "drawn_in": "2026-05", "rate": 0, "term_months": 12,
                                                 "repayment": "bullet"})  # fmt: skip
    bridge = Move("bridge", "Bridge", Month(2026, 5), (
        Change("it_amount", Operation.SET, 9000, first=Month(2026, 5)), Change("it_later", Operation.WITH_MOVE),
    ))  # fmt: skip
    plan = company(loan, months=MONTHS, actual_to=ACTUAL, moves=(bridge,), cases=(Case("base", "Base"),))
    drawn = evaluate(plan, [moved(bridge, Switch("bridge", Month(2026, 8)))]).series("it_balance").tolist()
    assert drawn == [0] * 7 + [9000] * 12 + [0] * 11
    untied = replace(bridge, changes=bridge.changes[:1])
    assert not evaluate(plan, [moved(untied, Switch("bridge", Month(2026, 8)))]).series("it_balance").any()
