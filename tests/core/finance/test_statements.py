"""The laws of the statements, over random companies and not just the demo."""

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import settings
from hypothesis import strategies as st

from tests.small import company, series
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate
from widefork.core.finance.statements import CAPTIONS, Statement
from widefork.core.graph.model import ScheduleSettings

amounts = st.lists(st.floats(0, 1e5), min_size=24, max_size=24)
rates = st.floats(0, 0.4)


def monthly(values):
    return {"monthly": {"start": "2026-01", "amounts": values}}


@st.composite
def companies(draw):
    """A company with all schedules at random terms, and an opening balance sheet that balances."""
    days = st.floats(0, 100)
    owed, assets = draw(st.floats(1, 1e5)), draw(st.floats(0, 1e5))
    open_sales, open_costs, cash = draw(st.floats(0, 1e5)), draw(st.floats(0, 1e5)), draw(st.floats(-1e5, 1e5))
    overdrawn, tax_due = draw(st.floats(0, 1e4)), draw(st.floats(0, 1e4))
    equity = cash + open_sales + assets - open_costs - owed - overdrawn - tax_due
    parts = {
        "receivables": {"of": ["sales"], "days": draw(days), "opening_balance": open_sales,
                        "opening_invoices": [open_sales]},
        "payables": {"of": ["costs"], "days": draw(days), "opening_balance": open_costs},
        "fixed_assets": {
            "bought": monthly(draw(amounts)), "life_months": draw(st.integers(1, 60)), "salvage": draw(st.floats(0, 1)),
            "opening_net_book_value": assets, "opening_remaining_months": draw(st.integers(1, 60)),
        },
        "loan": {
            "opening_balance": owed, "rate": draw(rates), "term_months": draw(st.integers(1, 60)),
            "repayment": draw(st.sampled_from(["level", "straight", "bullet"])),
        },
        "overdraft": {
            "limit": draw(st.floats(0, 1e5)), "rate": draw(rates), "floor": draw(st.floats(0, 1e4)),
            "opening_balance": overdrawn,
        },
        "income_tax": {"rate": draw(rates), "opening_payable": tax_due, "opening_losses": draw(st.floats(0, 1e5))},
    }  # fmt: skip
    return company(
        *(ScheduleSettings(kind, f"a_{kind}", kind, entry) for kind, entry in parts.items()),
        sales=monthly(draw(amounts)),
        costs=monthly(draw(amounts)),
        opening_balances={"cash": cash, "share_capital": 100.0, "retained_earnings": equity - 100.0},
    )


adjustments = st.lists(
    st.builds(Change, st.sampled_from(["sales", "costs", "a_receivables_days", "a_loan_rate", "a_fixed_assets_bought"]),
              st.sampled_from([Operation.SET, Operation.ADD, Operation.SCALE, Operation.STOP]), st.floats(0, 3)),
    max_size=3,
)  # fmt: skip


@settings(deadline=None, max_examples=25)
@forall(companies(), adjustments)
def test_the_balance_sheet_balances_and_the_cash_flow_ends_at_its_cash(plan, changes):
    results = evaluate(plan, [(), changes])
    size = max(1.0, float(np.abs(results.values("total_assets")).max()))
    assert np.abs(results.values("balance_difference")).max() <= 1e-6 * size
    assert np.abs(results.values("cash_difference")).max() <= 1e-6 * size
    earned = results.values("retained_earnings")
    np.testing.assert_allclose(np.diff(earned, axis=0), results.values("net_profit")[1:], atol=1e-6 * size)


@settings(deadline=None, max_examples=12)
@forall(companies())
def test_the_overdraft_stays_within_its_limit_and_cash_above_its_floor_while_it_can(plan):
    results = evaluate(plan)
    drawn, limit = results.values("overdraft"), results.values("overdraft_limit")
    assert (drawn >= 0).all()
    assert (drawn <= limit + 1e-9).all()
    room_left = drawn < limit - 1e-6
    floor = results.values("a_overdraft_floor")
    assert (results.values("cash")[room_left] >= floor[room_left] - 1e-6).all()


def test_an_opening_balance_sheet_that_does_not_balance_shows_its_difference():
    plan = company(opening_balances={"cash": 100})
    assert series(plan, "balance_difference") == pytest.approx([100] * 24)


def test_income_statement_goes_down_in_the_trades_order():
    # common practice: revenue, cost of sales, gross profit, operating expenses, EBITDA, depreciation, EBIT,
    # interest, profit before tax, tax, net profit
    order = [caption.name for caption in CAPTIONS if caption.statement is Statement.INCOME]
    marks = ["revenue", "cost_of_sales", "gross_profit", "ebitda", "depreciation", "operating_profit",
             "interest_expense", "profit_before_tax", "income_tax", "net_profit"]  # fmt: skip
    assert [name for name in order if name in marks] == marks


def test_principal_never_reaches_the_income_statement_and_depreciation_comes_back_in_cash():
    # common practice
    loan = ScheduleSettings("loan", "l", "L", {"amount": 500, "drawn_in": "2026-02", "rate": 0, "term_months": 5})
    plan = company(loan)
    assert series(plan, "net_profit") == [400] * 24
    assert series(plan, "net_cash_flow")[1] == 900
    asset = {"bought": {"one_off": {"2026-01": 1200}}, "life_months": 12, "salvage": 0}
    plan = company(ScheduleSettings("fixed_assets", "f", "F", asset))
    assert series(plan, "net_profit")[0] == 300
    assert series(plan, "operating_cash_flow")[0] == 400
