"""Contracts against a plain loop over their invoices, and what of them is refused. Constructed."""

import numpy as np
import pytest

from tests.core.finance.sample import CONTRACTS, bare
from tests.kit.small import START, company, given, series
from widefork.core.axes import Dimension, Month
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel
from widefork.core.lines import Line

MONTHS = 30


def contracts(register=CONTRACTS, **settings):
    """The sample's contracts, invoiced by a line of the company's own."""
    invoiced = Line("retainers", "Retainers", "EUR", "all", formula="it_billed")
    return company(
        bare("contracts", register="contracts", of=["retainers"], **settings),
        lines=(invoiced,), more_dimensions=(register,), months=MONTHS,
    )  # fmt: skip


def one(**known):
    return Dimension("contracts", ("Town",), attributes={"Town": {"fee": 1200, "start": "2026-02", **known}})


def by_hand(counts="weighted"):
    """Invoices and what is earned, contract by contract, term by term."""
    invoiced, earned = np.zeros(MONTHS), np.zeros(MONTHS)
    for known in CONTRACTS.attributes.values():
        months = {"quarterly": 3, "yearly": 12}.get(known.get("rhythm", ""), 1)
        begins = Month.parse(known["start"]).ordinal - START.ordinal
        ends = Month.parse(known["end"]).ordinal - START.ordinal if "end" in known else 10**4
        renewed = {"50": 0.5, 0.5: 0.5, "80 %": 0.8}.get(known.get("renewal"), 0.0)
        hoped = known.get("status") == "hoped for"
        weight = {"weighted": known.get("probability", 1), "held": 0, "all": 1}[counts] if hoped else 1.0
        term = ends - begins + 1
        while begins < MONTHS and weight:
            for invoice in range(begins, min(ends + 1, MONTHS), months):
                last = min(invoice + months, ends + 1)
                if invoice >= 0:
                    invoiced[invoice] += known["fee"] / months * (last - invoice) * weight
                earned[max(0, invoice) : max(0, last)] += known["fee"] / months * weight
            begins, ends, weight = ends + 1, ends + term, weight * renewed
    return invoiced, earned


@pytest.mark.parametrize("counts", ["weighted", "held", "all"])
def test_contracts_are_invoiced_ahead_and_earned_by_the_month(counts):
    plan = contracts(counts=counts)
    assert not plan.problems
    assert not plan.warnings
    invoiced, earned = by_hand(counts)
    assert series(plan, "it_billed") == pytest.approx(invoiced.tolist())
    assert series(plan, "it_earned") == pytest.approx(earned.tolist())
    assert series(plan, "revenue") == pytest.approx((1000 + earned).tolist())

    # the harbour was invoiced 9,000 in November; January of that quarter is still to come
    assert plan.model.line("it_balance").opening == pytest.approx(3000)

    owed = 3000 + (invoiced - earned).cumsum()
    assert series(plan, "deferred_revenue") == pytest.approx(owed.tolist())


def test_held_hoped_for_weighted_and_what_a_target_still_needs():
    plan = contracts(target=12000)
    at = 3  # April 2026: town 1,000 and harbour 3,000 and school 200 a month held, spa 500 hoped for
    assert series(plan, "it_held")[at] == pytest.approx(4200)
    assert series(plan, "it_hoped")[at] == pytest.approx(500)
    assert series(plan, "it_weighted")[at] == pytest.approx(4325)
    assert series(plan, "it_count")[at] == pytest.approx(3.25)
    assert series(plan, "it_needed")[at] == np.ceil((12000 - 4325) / (4325 / 3.25))


def test_what_was_invoiced_is_earned_whatever_changes_afterwards():
    plan = contracts(one(rhythm="yearly"))
    lapse = Change("it_fee", Operation.SCALE, 2, (), Month(2026, 6), None)
    results = evaluate(plan, [(), (lapse,)])
    earned = results.values("it_earned")[:, 1].tolist()
    assert earned[1:13] == pytest.approx([100] * 12)
    assert earned[13:25] == pytest.approx([200] * 12)
    assert results.values("deferred_revenue")[24].tolist() == pytest.approx([0, 0], abs=1e-9)


@pytest.mark.parametrize(
    ("known", "said"),
    [
        ({"end": "2026-01"}, "Town ends in Jan 26, before it starts"),
        ({"renewal": 1.2}, "Town: Renewed needs to be at most 100 %"),
        ({"probability": -0.1}, "at least 0 %"),
        ({"rhythm": "weekly"}, "Expected one of monthly, quarterly, yearly"),
        ({"start": ""}, "Town needs starts"),
    ],
)
def test_contracts_that_cannot_be_are_refused_by_name(known, said):
    with pytest.raises(InvalidModel, match=said):
        contracts(one(**known))


def test_the_line_invoiced_posts_nowhere_itself():
    with pytest.raises(InvalidModel, match="posts to the income statement already"):
        company(
            bare("contracts", register="contracts", of=["fees"]),
            lines=(given("fees", 5, unit="EUR", posts_to="revenue"),), more_dimensions=(CONTRACTS,),
        )  # fmt: skip
