"""Months closed: what the books leave unexplained is settled as its schedule says, and the plan goes on from there."""

import numpy as np
import pytest

from tests.core.finance.sample import ASSETS, bare
from tests.kit.small import START, company, given
from widefork.core.axes import Month, Timeline
from widefork.core.closing import Closing, closed_series, latest_closing
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel
from widefork.core.finance.books import unexplained_lines
from widefork.core.finance.statements import CHECKS
from widefork.core.graph.model import ScheduleSettings

MARCH = START.plus(2)
AT = 2


OWED = {"payroll": -200, "loan": -2400, "inventory": 600}
"""What the schedules of these tests own or owe at the start."""


def closed(*schedules, figures, ages=None, lines=(), **more):
    """A company whose third month is closed with these figures; and the same without them."""
    closing = Closing(MARCH, figures, ages or {})
    owns = {"retained_earnings": sum(OWED.get(given_one.kind, 0) for given_one in schedules)}
    more = {"opening_balances": owns, **more}
    made = [
        company(*schedules, lines=lines, months=18, timeline=Timeline(START, 18, 1, MARCH), closings=closings, **more)
        for closings in ((closing,), ())
    ]
    return tuple(evaluate(plan) for plan in made)


def ties(results):
    size = max(1.0, float(np.abs(results.values("total_assets")).max()))
    assert all(np.abs(results.values(check)).max() < 1e-9 * size for check in CHECKS)


PAY = given("pay", 1000, unit="EUR", posts_to="people_costs")
FEES = given("fees", 1200, unit="EUR")
LATE = [
    # schedule, its settings, balance, what the books say more, months after the close in which it is settled
    ("payroll", {"of": ["pay"], "charge_rate": 0.2, "opening_charges": 200}, "balance", 30, {3: 30}),
    ("income_tax", {"rate": 0.25}, "payable", 40, {3: 40}),
    ("sales_tax", {"on_sales": ["sales"], "rate": 0.2, "rhythm": "quarterly", "paid_after": 1}, "balance", 60, {3: 60}),
    ("accrued_costs", {"of": ["pay"], "every": 3, "first_paid": "2026-02"}, "balance", 90, {4: 90}),
    ("prepaid_costs", {"of": ["fees"], "months": 3}, "balance", 90, {3: 30, 4: 30, 5: 30}),
    ("prepaid_billing", {"of": ["fees"], "months": 3}, "balance", 90, {3: 30, 4: 30, 5: 30}),
    ("fixed_assets", {"bought": {"one_off": {"2026-01": 1200}}, "life_months": 12}, "net_book_value", 24,
     dict.fromkeys(range(3, 15), 2)),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "settings", "part", "more", "settled"), LATE, ids=[entry[0] for entry in LATE])
def test_what_is_unexplained_is_settled_as_the_schedule_says(kind, settings, part, more, settled):
    lines = (PAY, FEES)
    _, plan = closed(bare(kind, **settings), figures={}, lines=lines)
    books = float(plan.series(f"it_{part}")[AT]) + more
    results, _ = closed(bare(kind, **settings), figures={f"it_{part}": books}, lines=lines)
    ties(results)
    assert results.series(f"it_{part}")[AT] == books
    assert results.series(f"it_{part}_unexplained")[AT] == pytest.approx(more)
    late = results.series(f"it_{part}_late")
    assert {n: pytest.approx(amount) for n, amount in settled.items()} == {
        int(n): late[n] for n in np.flatnonzero(np.abs(late) > 1e-9)
    }
    # once it is settled, the schedule stands where it would have stood
    assert results.series(f"it_{part}")[-1] == pytest.approx(plan.series(f"it_{part}")[-1])


def test_a_loan_goes_on_from_what_the_books_owe():
    loan = bare("loan", opening_balance=2400, rate=0.0, term_months=24)
    results, _ = closed(loan, figures={"it_balance": 2520})
    ties(results)
    # 21 months are left of 24; what is owed is repaid evenly over them
    assert results.series("it_repaid")[AT + 1] == pytest.approx(2520 / 21)
    assert results.series("unexplained_borrowed")[AT] == pytest.approx(2520 - 2100)


def test_stock_counted_lower_is_bought_again():
    results, plan = closed(bare("inventory", of=["costs"], days=30, opening_balance=600), figures={"it_balance": 450})
    ties(results)
    assert results.series("it_purchases")[AT + 1] == pytest.approx(plan.series("it_purchases")[AT + 1] + 150)
    assert results.series("unexplained_paid")[AT] == pytest.approx(-150)


def test_a_register_stays_apart_from_the_books_until_it_is_mended():
    opening = {"share_capital": 900}
    results, plan = closed(
        bare("asset_register", register="assets"), figures={"it_balance": 20000}, more_dimensions=(ASSETS,),
        opening_balances=opening,
    )  # fmt: skip
    ties(results)
    apart = results.series("it_balance") - plan.series("it_balance")
    assert apart[AT:] == pytest.approx([apart[AT]] * 16)
    assert results.series("unexplained_invested")[AT] == pytest.approx(apart[AT])


def test_deposits_and_grants_of_assets_closed_as_captions_tie():
    for caption in ("deposits", "asset_grants", "other_long_liabilities", "intangible_assets"):
        results, _ = closed(figures={caption: 700})
        ties(results)
        assert results.series(caption).tolist() == [0, 0, *[700] * 16]


def test_cash_that_nothing_explains_stands_in_equity():
    results, plan = closed(figures={"cash": 5000})
    ties(results)
    gap = 5000 - plan.series("cash")[AT]
    assert results.series("unexplained_equity").tolist() == [0, 0, *[pytest.approx(gap)] * 16]
    assert results.series("retained_earnings")[-1] == plan.series("retained_earnings")[-1]


def test_an_overdraft_in_the_books_is_taken_off_their_cash():
    results, _ = closed(bare("overdraft", limit=900, rate=0.1), figures={"cash": 0, "it_drawn": 300})
    ties(results)
    assert results.series("cash_after_overdraft")[AT] == -300
    assert results.series("cash")[AT] == 0
    assert results.series("it_interest")[AT + 1] == pytest.approx(300 * 0.1 / 12)


def test_a_charge_of_a_schedule_can_be_what_the_books_say():
    results, _ = closed(bare("loan", opening_balance=2400, rate=0.12, term_months=24), figures={"it_interest": 31.5})
    ties(results)
    assert results.series("interest_expense")[AT] == 31.5


def test_every_unexplained_line_is_nothing_in_the_plan_and_without_books():
    results, plan = closed(
        bare("loan", opening_balance=2400, rate=0.1, term_months=24),
        bare("payroll", "wages", of=["pay"], charge_rate=0.2, opening_charges=200),
        figures={"it_balance": 2000, "wages_balance": 300, "cash": 100, "revenue": 900, "inventory": 20},
        lines=(PAY,),
    )
    found = unexplained_lines(results.plan.model)
    assert {line.name for line in found} == {
        "it_balance_unexplained", "wages_balance_unexplained", "unexplained_in_cash", "unexplained_revenue",
        "unexplained_inventory",
    }  # fmt: skip
    for line in found:
        months = results.series(line.name)
        assert months[AT] != 0
        assert not np.delete(months, AT).any()
    assert unexplained_lines(plan.plan.model) == ()


def test_what_was_closed_beyond_the_boundary_waits():
    april = Closing(START.plus(3), {"cash": 1.0})
    timeline = Timeline(START, 12, 1, MARCH)
    assert closed_series((april,), timeline) == {}
    assert latest_closing((april,), timeline) is None
    assert latest_closing((april,), Timeline(START, 12, 1, START.plus(3))) is april
    kept = closed_series((Closing(START, {"cash": 5.0}),), timeline)["cash"]
    assert kept[0] == 5
    assert np.isnan(kept[1:]).all()


def test_a_month_is_closed_once():
    twice = (Closing(MARCH, {"cash": 1.0}), Closing(MARCH, {"cash": 2.0}))
    with pytest.raises(InvalidModel, match="appears twice"):
        company(timeline=Timeline(START, 12, 1, MARCH), closings=twice)
    assert Closing(Month(2026, 3)) == Closing(MARCH)


def test_four_hundred_costs_of_one_caption_add_up():
    costs = [given(f"cost_{n}_of_what_an_office_uses", n, unit="EUR", posts_to="premises_costs") for n in range(400)]
    plan = company(lines=costs)
    assert not plan.problems
    results = evaluate(plan)
    assert results.series("premises_costs")[0] == 399 * 400 / 2
    assert results.series("profit_before_tax")[0] == 1000 - 600 - 399 * 400 / 2


def test_long_terms_counted_on_from_a_closing_by_age_are_read():
    """Every month the terms reach back over is written out twice there: before the closing and after it."""
    closing = Closing(START, {"a_payables_balance": 500.0}, {"a_payables": (200.0, 300.0)})
    settings = {"of": ["costs"], "days": 60, "new_terms": "new", "opening_balance": 1200}
    plan = company(
        ScheduleSettings("payables", "a_payables", "What suppliers wait for", settings),
        timeline=Timeline(START, 6, 1, START),
        closings=(closing,),
        opening_balances={"cash": 1200},
    )
    assert not plan.problems
    assert evaluate(plan).series("a_payables_balance")[:2].tolist() == [500, 300 + 600]
