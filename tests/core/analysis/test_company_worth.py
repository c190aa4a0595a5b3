"""What the business is worth: the sum worked out apart from the lines, and what a move is worth."""

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import company
from widefork.core.analysis.figures import figure_amounts
from widefork.core.analysis.worth import move_worth, rate_table, read_worth, worth_of, worth_schedule
from widefork.core.axes import Month
from widefork.core.changes import Case, Change, Move, Operation, Switch
from widefork.core.engine import evaluate
from widefork.core.errors import UnknownName
from widefork.core.figures import Figure
from widefork.core.graph.model import ScheduleSettings


def valued(*schedules, months=24, **more):
    """400 a month before tax, valued at 12 % with growth of 2 %."""
    settings = {"rate": 0.12, "growth": 0.02, "tax_rate": 0.25} | more.pop("worth", {})
    return company(ScheduleSettings("worth", "worth", "Worth", settings), *schedules, months=months, **more)


def test_a_steady_business_is_worth_its_flow_for_ever():
    """300 a month after tax at each month's end, growing by 2 % a year from the third on, at 12 %: one plain loop."""
    worth = worth_of(valued(), ())
    plan = sum(300 / 1.12 ** (k / 12) for k in range(1, 25))
    beyond = sum(300 * 1.02 ** (j / 12) / 1.12 ** ((24 + j) / 12) for j in range(1, 6000))
    assert worth.flows == pytest.approx([300.0] * 24)
    assert worth.plan == pytest.approx(plan)
    assert worth.end_present == pytest.approx(beyond, rel=1e-6)
    assert worth.business == pytest.approx(plan + beyond, rel=1e-6)
    assert worth.end_share == pytest.approx(beyond / (plan + beyond), rel=1e-6)
    assert worth.valued_at == Month(2025, 12)


def test_flows_in_the_middle_of_their_months_are_half_a_month_nearer():
    end, middle = worth_of(valued(), ()), worth_of(valued(worth={"within_month": "middle"}), ())
    half = 1.12 ** (1 / 24)
    assert middle.plan == pytest.approx(end.plan * half)
    assert middle.end_present == pytest.approx(end.end_present * half)
    assert middle.is_mid


def test_a_multiple_and_nothing_beyond():
    """EBITDA of 400 a month: 6 times 4,800 after two years."""
    multiple = worth_of(valued(worth={"beyond": "multiple", "multiple": 6}), ())
    assert multiple.end_value == pytest.approx(28800)
    assert multiple.end_present == pytest.approx(28800 / 1.12**2)
    nothing = worth_of(valued(worth={"beyond": "nothing"}), ())
    assert (nothing.end_value, nothing.end_present) == (0, 0)


def test_growth_as_fast_as_the_rate_has_no_value():
    worth = worth_of(valued(worth={"growth": 0.12}), ())
    assert np.isnan(worth.end_present)
    assert np.isnan(worth.business)
    assert np.isfinite(worth.plan)


def test_a_rate_built_up_from_parts():
    """80 % owners at 2.5 % + 1.2 × 5.5 % + 3 % = 12.1 %, 20 % debt at 5.5 % less a quarter of tax: 10.505 %."""
    assert worth_of(valued(worth={"rate_from": "parts"}), ()).rate == pytest.approx(0.8 * 0.121 + 0.2 * 0.055 * 0.75)


def test_losses_are_kept_and_debt_changes_the_owners_part_only():
    """A loan drawn at the start bears interest, which leaves the flows as they are; it is owed, and so is its cash."""
    loan = ScheduleSettings("loan", "bank", "Bank", {"opening_balance": 5000, "rate": 0.1, "term_months": 36})
    bare, owing = valued(), valued(loan, opening_balances={"cash": 5000.0})
    one, other = worth_of(bare, ()), worth_of(owing, ())
    assert other.flows == pytest.approx(one.flows)
    assert other.business == pytest.approx(one.business)
    assert other.net_debt == pytest.approx(0)
    lossy = worth_of(valued(costs={"steps": {"2026-01": 1600, "2026-07": 600}}), ())
    early = evaluate(valued(costs={"steps": {"2026-01": 1600, "2026-07": 600}}), [()]).series("worth_tax", ())
    assert early[:12].sum() == pytest.approx(0)  # 6 × −600 and 6 × 400 are a loss of the year
    assert lossy.flows.sum() == pytest.approx(6 * -600 + 18 * 400 - 0.25 * (12 * 400 - 1200))


def test_leases_are_owed_or_paid_for_but_never_both():
    lease = ScheduleSettings(
        "lease", "van", "Van", {"begins": "2026-03", "term_months": 12, "payment": 100, "rate": 0.06}
    )
    owed, paid = (valued(lease, worth={"leases": way}) for way in ("debt", "flows"))
    results = [evaluate(plan, [()]) for plan in (owed, paid)]
    spending = [found.series("worth_spending", ()) for found in results]
    assert spending[0][2] == pytest.approx(results[0].series("van_added", ())[2])
    assert spending[1].sum() == 0
    assert results[1].series("worth_lease_payments", ()).sum() == pytest.approx(1200)
    assert "worth_lease_payments" not in owed.model.line_by_name
    debts = [found.series("worth_net_debt", ())[5] + found.series("cash", ())[5] for found in results]
    assert debts == pytest.approx([results[0].series("van_liability", ())[5], 0])


def test_the_flow_is_what_the_cash_flow_says_without_debt(demo_plan):
    """Cash from operating activities before income tax, less the tax without debt, with investing; deposits apart."""
    for place, case in enumerate(demo_plan.model.cases):
        found = evaluate(demo_plan, [demo_plan.model.changes_of(case.name)])
        of = lambda name, found=found: found.series(name, ())  # noqa: E731
        told = of("operating_category_cash") + of("income_tax_paid") - of("worth_tax")
        told = told + of("investing_cash_flow") + of("deposits_placed")
        first = demo_plan.model.timeline.actual_count
        assert of("worth_flow")[first:] == pytest.approx(told[first:], abs=1e-6), place


def test_the_demo_is_discounted_as_a_loop_would(demo_plan):
    worth = worth_of(demo_plan, demo_plan.model.changes_of("base"))
    assert worth.valued_at == Month(2026, 6)
    assert worth.plan == pytest.approx(sum(f / 1.12 ** (k / 12) for k, f in enumerate(worth.flows.tolist(), 1)))
    assert worth.equity == pytest.approx(worth.plan + worth.end_present - worth.net_debt)


def test_a_table_of_rates_holds_what_each_pair_gives():
    plan = valued()
    table = rate_table(plan, ())
    assert table.rates == pytest.approx((0.10, 0.11, 0.12, 0.13, 0.14))
    assert table.values[2, 2] == pytest.approx(worth_of(plan, ()).equity)
    corner = worth_of(valued(worth={"rate": 0.10, "growth": 0.03}), ())
    assert table.values[0, 4] == pytest.approx(corner.equity)
    flat = rate_table(valued(worth={"beyond": "nothing"}), ())
    assert (flat.what, flat.values.shape) == ("", (5, 1))


def test_a_move_is_worth_the_business_with_it_less_without():
    """240 less cost a month from January 2027 for 3,000 in December 2026: after tax 180 × 12 against −2,250."""
    steps = (
        Change("costs", Operation.ADD, 3000, (), Month(2026, 12), Month(2026, 12)),
        Change("costs", Operation.ADD, -240, (), Month(2027, 1)),
    )
    move = Move("machine", "Machine", Month(2026, 12), steps)
    cases = (Case("base", "Base"), Case("with", "With", "base", (Switch("machine"),)))
    plan = valued(moves=(move,), cases=cases, worth={"beyond": "nothing"}, months=48, costs=-2000)
    found = move_worth(plan, "base", "machine")
    paid = -3000 * 0.75
    by_hand = paid / 1.12 + sum(180 / 1.12 ** (k / 12) for k in range(13, 49))
    assert found.total == pytest.approx(by_hand)
    assert move_worth(plan, "with", "machine").total == pytest.approx(found.total)  # on there, so less without
    assert found.beyond == 0
    rate = found.rates[0]
    assert paid / (1 + rate) + sum(180 / (1 + rate) ** (k / 12) for k in range(13, 49)) == pytest.approx(0, abs=1e-6)
    assert found.simple.periods == pytest.approx(12 + 2250 / 180)
    assert found.discounted.periods > found.simple.periods
    assert found.index == pytest.approx(1 + by_hand / (2250 / 1.12))
    with pytest.raises(UnknownName):
        move_worth(plan, "base", "moon")


@law(15)
@forall(st.floats(0.03, 0.4), st.sampled_from(["end", "middle"]), st.integers(13, 40), st.floats(100, 5000))
def test_a_steady_business_is_worth_the_same_wherever_its_plan_ends(rate, within, months, sales):
    """What goes on beyond is what more months of the plan would have been, so that no convention shows at the seam."""
    settings = {"rate": rate, "growth": 0.0, "within_month": within}
    short, long = (worth_of(valued(worth=settings, months=m, sales=sales, costs=0), ()) for m in (months, months + 12))
    assert short.business == pytest.approx(long.business, rel=1e-9)
    assert short.plan < long.plan


def test_without_a_schedule_there_is_no_worth_and_without_a_year_nothing_beyond_it():
    with pytest.raises(UnknownName):
        worth_schedule(company(months=24).model)
    short = valued(months=6)
    assert worth_of(short, ()).end_present == 0
    assert "worth_end_value" not in short.model.line_by_name


def test_the_figure_of_the_owners_is_an_ordinary_one():
    plan = valued()
    figure = Figure("owners", "Owners", "worth_equity")
    found = figure_amounts(plan, [(), (Change("worth_rate", Operation.ADD, 0.01),)], figure)
    assert found[0] == pytest.approx(read_worth(evaluate(plan, [()]), 0, "").equity)
    assert found[1] < found[0]
