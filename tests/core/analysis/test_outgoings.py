"""Every outgoing has a rhythm; what is usual and absent is asked for. Constructed."""

import pytest

from tests.core.finance.sample import bare
from tests.kit.small import company, given, model_of
from widefork.core.analysis.outgoings import Rhythm, missing, outgoings
from widefork.core.engine import evaluate

COSTS = {
    "rent": ({"steps": {"2026-01": 900, "2027-01": 950}}, Rhythm.FIXED, ""),
    "cleaning": ({"steps": {"2026-01": 0, "2026-05": 80}}, Rhythm.FIXED, "from May 26"),
    "materials": ({"growth": {"base": 100, "rate": 0.02, "pace": "each month", "since": "2026-01"}}, Rhythm.DRIVEN, ""),
    "filter": ({"every": {"amount": 50, "months": 3, "since": "2026-02"}}, Rhythm.QUARTERLY, "from Feb 26"),
    "insurance": ({"every": {"amount": 1200, "months": 12, "since": "2026-03"}}, Rhythm.YEARLY, "in Mar"),
    "service": ({"every": {"amount": 70, "months": 2, "since": "2026-01"}}, Rhythm.REGULAR, "every 2 months"),
    "fair": ({"one_off": {"2026-06": 5000}}, Rhythm.ONCE, "in Jun 26"),
    "repairs": ({"one_off": {"2026-02": 10, "2026-03": 10, "2026-09": 30}}, Rhythm.IRREGULAR, "3 times in the plan"),
    "unused": (0, Rhythm.NEVER, ""),
}


@pytest.fixture(scope="module")
def found():
    lines = [given(name, rule, unit="EUR", posts_to="administration_costs") for name, (rule, _, _) in COSTS.items()]
    loan = bare("loan", amount=12000, drawn_in="2026-04", rate=0.06, term_months=12)
    return {one.line.name: one for one in outgoings(evaluate(company(loan, lines=tuple(lines))))}


@pytest.mark.parametrize("name", COSTS)
def test_a_rhythm_is_read_from_the_months(found, name):
    assert (found[name].rhythm, found[name].when) == COSTS[name][1:]
    assert found[name].caption == "Administration"
    assert found[name].is_cost


def test_what_is_paid_besides_is_there_and_revenue_is_not(found):
    assert not found["it_repaid"].is_cost
    assert "sales" not in found
    order = [list(Rhythm).index(one.rhythm) for one in found.values()]
    assert order == sorted(order)


def test_what_is_usual_and_absent_is_asked_for():
    labels = {one.label for one in missing(model_of(given("rent", 5), given("van_fuel", 3)))}
    assert "Rent" not in labels
    assert "Travel" not in labels
    assert {"Insurance", "Recruiting", "Income tax"} <= labels
    people = model_of(schedules=(bare("people", register="team"), bare("income_tax", "tax", rate=0.25)))
    assert {"Recruiting", "Income tax"}.isdisjoint({one.label for one in missing(people)})
    assert all(one.question.endswith("?") for one in missing(model_of()))
