"""The laws of the statements, over random companies and not just the demo."""

import numpy as np
import pytest
from hypothesis import given as forall
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import START, calculated, company, given, series
from widefork.core.axes import Dimension, Timeline
from widefork.core.changes import Change, Operation
from widefork.core.closing import Closing
from widefork.core.engine import evaluate
from widefork.core.finance.checks import ALL_CHECKS, Checked
from widefork.core.finance.schedules import SCHEDULES
from widefork.core.finance.statements import CAPTIONS, CHECKS, Statement
from widefork.core.graph.model import ScheduleSettings

rates = st.floats(0, 0.4)
shares = st.floats(0, 1)
small = st.integers(0, 3)
terms = st.integers(1, 60)
money = st.floats(0, 1e5)
amounts = st.lists(money, min_size=24, max_size=24)


def monthly(values):
    return {"monthly": {"start": "2026-01", "amounts": values}}


def months(first=1, last=24):
    return st.integers(first, last).map(lambda n: str(START.plus(n - 1)))


one_off = st.builds(lambda month, amount: {"one_off": {month: amount}}, months(), money)
one_off_heads = st.builds(lambda month, heads: {"one_off": {month: heads}}, months(), small)
average = st.sampled_from(["opening", "average"])
trade = st.one_of(
    st.fixed_dictionaries({"days": st.floats(0, 200), "new_terms": st.sampled_from(["open", "new"])}),
    st.fixed_dictionaries({"method": st.just("simple"), "days": st.floats(0, 100)}),
    st.fixed_dictionaries({"method": st.just("percent"), "percent": st.floats(0, 3)}),
    shares.map(lambda s: {"method": "shares", "share_0": s, "share_2": 1 - s}),
)
asset = st.one_of(
    st.fixed_dictionaries({"cost": money, "bought": months(1, 23), "life_months": terms}),
    st.fixed_dictionaries({"book_value": st.floats(1, 1e5), "life_months": terms}),
).flatmap(lambda known: st.fixed_dictionaries({
    **{key: st.just(value) for key, value in known.items()},
    "salvage": st.floats(0, known.get("cost", 0) / 2),
    "method": st.sampled_from(["straight", "declining", "declining_then_straight", "years_digits"]),
    "rate": rates, "sold": st.just("2027-12"), "sold_for": money,
}))  # fmt: skip


contract = st.fixed_dictionaries({
    "fee": money, "rhythm": st.sampled_from(["monthly", "quarterly", "yearly"]), "start": months(1, 20),
    "renewal": shares, "probability": shares, "status": st.sampled_from(["held", "hoped"]),
})  # fmt: skip
team = st.fixed_dictionaries({
    "heads": st.floats(0, 20), "salary": money, "full_time": shares, "bonus": rates, "benefits": money,
    "leaving": shares, "ramp": small, "capacity": money, "hire_cost": money, "leave_cost": money,
    "posts_to": st.sampled_from(["people_costs", "cost_of_sales"]),
})  # fmt: skip

CLOSED = ["a_contracts_balance", "a_people_balance", "a_people_all_charges",
          "a_receivables_balance", "a_payables_balance", "a_prepaid_billing_balance", "a_prepaid_costs_balance",
          "a_accrued_costs_balance", "a_inventory_balance", "a_other_balance_balance", "a_payroll_balance",
          "a_payroll_support_due", "a_fixed_assets_net_book_value", "a_asset_register_balance", "a_lease_liability",
          "a_lease_asset", "a_loan_balance", "a_overdraft_drawn", "a_grant_balance", "a_sales_tax_balance",
          "a_income_tax_payable", "cash", "revenue", "people_costs", "interest_expense", "other_long_assets",
          "deposits", "asset_grants", "other_liabilities", "a_loan_interest", "a_fixed_assets_depreciation",
          "a_payroll_charges", "settled_rent"]  # fmt: skip
ages = st.lists(money, min_size=1, max_size=4).map(tuple)
closing = st.builds(Closing, st.integers(0, 4).map(START.plus), st.dictionaries(st.sampled_from(CLOSED), money),
                    st.dictionaries(st.sampled_from(["a_receivables", "a_payables"]), ages))  # fmt: skip
closings = st.lists(closing, max_size=3, unique_by=lambda one: one.month)
nothing_closed = st.just([])
"""Months closed, perhaps beyond the boundary: what it says then waits."""


@st.composite
def companies(draw, closed=nothing_closed):
    """A company with every schedule there is, at random terms or its example, whose opening balance sheet balances.

    What the books say of months closed may be anything, so by default there is none of it.
    """
    sale, cost, late = draw(money), draw(money), draw(small)
    register = Dimension("assets", ("One", "Two"), attributes={"One": draw(asset), "Two": draw(asset)})
    owned = sum(known.get("book_value", 0) for known in register.attributes.values())
    agreed = Dimension("agreed", ("One", "Two"), attributes={"One": draw(contract), "Two": draw(contract)})
    teams = Dimension("teams", ("One", "Two"), attributes={"One": draw(team), "Two": draw(team)})
    seats = Dimension("seats", ("Seat",), attributes={"Seat": {"teams": "Two", "start": draw(months())}})
    parts = {
        "contracts": {"register": "agreed", "of": ["retainers"], "counts": draw(st.sampled_from(["weighted", "held"]))},
        "people": {"register": "teams", "seats": "seats", "hires": ["joiners"], "let_go": ["leavers"],
                   "demand": ["asked"], "charge_rate": draw(rates), "charges_paid_after": late,
                   "opening_charges": draw(money), "pay_rise": draw(rates), "stretch_share": draw(shares),
                   "stretch_limit": draw(shares)},
        "receivables": {"of": ["sales", "retainers"], **draw(trade), "opening_balance": sale, "bad_debt": draw(shares)},
        "payables": {"of": ["costs", "premium"], **draw(trade), "opening_ages": [cost]},
        "prepaid_billing": {"of": ["fees"], "share_ahead": draw(shares), "months": draw(terms),
                            "opening_balance": draw(money), "opening_months": draw(terms)},
        "prepaid_costs": {"of": ["premium"], "months": draw(terms), "opening_balance": draw(money)},
        "accrued_costs": {"of": ["audit"], "every": draw(terms), "first_paid": draw(months()),
                          "opening_balance": draw(money)},
        "inventory": {"of": ["costs"], "days": draw(st.floats(0, 90)), "opening_balance": draw(money)},
        "other_balance": {"caption": "deposits", "level": draw(one_off), "opening_balance": draw(money)},
        "payroll": {"of": ["pay"], "charge_rate": draw(rates), "benefit_rate": draw(rates), "charges_paid_after": late,
                    "opening_charges": draw(money), "support": draw(shares), "support_received_after": draw(small),
                    "opening_support": draw(money)},
        "fixed_assets": {"bought": monthly(draw(amounts)), "life_months": draw(terms), "salvage": draw(shares),
                         "opening_net_book_value": draw(money), "opening_remaining_months": draw(terms),
                         "caption": "intangible_assets"},
        "asset_register": {"register": "assets"},
        "lease": {"payment": draw(money), "begins": draw(months()), "term_months": draw(terms), "rate": draw(rates)},
        "loan": {"opening_balance": draw(st.floats(1, 1e5)), "rate": draw(rates),
                 "term_months": draw(st.integers(8, 60)),
                 "repayment": draw(st.sampled_from(["level", "straight", "bullet"])), "balloon": draw(money),
                 "interest_only_months": draw(small), "holiday_from": draw(months(1, 4)), "holiday_months": 2,
                 "holiday_interest": draw(st.sampled_from(["paid", "added"])), "early": draw(one_off),
                 "after_early": draw(st.sampled_from(["smaller", "fewer"])), "interest_on": draw(average)},
        "overdraft": {"limit": draw(money), "rate": draw(rates), "floor": draw(st.floats(0, 1e4)),
                      "opening_balance": draw(st.floats(0, 1e4)), "interest_on": draw(average)},
        "equity": {"paid_in": draw(one_off), "drawn": draw(one_off)},
        "dividends": {"share": draw(shares), "amount": draw(one_off)},
        "grant": {"granted": draw(one_off), "treatment": draw(st.sampled_from(["income", "spread", "asset"]))},
        "sales_tax": {"on_sales": ["sales", "fees", "retainers"], "rate": draw(rates),
                      "on_purchases": ["costs", "audit"],
                      "purchase_rate": draw(rates), "on_equipment": "taxed", "paid_after": draw(small),
                      "rhythm": draw(st.sampled_from(["monthly", "quarterly", "yearly"])),
                      "opening_balance": draw(money)},
        "income_tax": {"rate": draw(rates), "opening_payable": draw(money), "opening_losses": draw(money),
                       "loss_cover": draw(shares), "losses_expire_after": draw(st.integers(1, 3)),
                       "instalments": draw(st.sampled_from(["none", "quarterly", "monthly"])),
                       "opening_charge": draw(money)},
    }  # fmt: skip
    assets = [sale, parts["prepaid_costs"]["opening_balance"], parts["inventory"]["opening_balance"], owned,
              parts["other_balance"]["opening_balance"], parts["fixed_assets"]["opening_net_book_value"],
              parts["payroll"]["opening_support"] if parts["payroll"]["support_received_after"] else 0]  # fmt: skip
    owed = [cost, parts["payroll"]["opening_charges"] if late else 0, parts["income_tax"]["opening_payable"],
            parts["people"]["opening_charges"] if late else 0]  # fmt: skip
    owed += [
        parts[kind]["opening_balance"]
        for kind in ("prepaid_billing", "accrued_costs", "loan", "overdraft", "sales_tax")
    ]
    cash = draw(st.floats(-1e5, 1e5))
    closings = draw(closed)
    lines = (
        given("fees", monthly(draw(amounts)), unit="EUR"),
        calculated("retainers", "a_contracts_billed", unit="EUR"),
        given("joiners", draw(one_off_heads), ("teams",), unit="heads"),
        given("leavers", draw(one_off_heads), ("teams",), unit="heads"),
        given("asked", draw(money), ("teams",), unit="hours"),
        given("premium", monthly(draw(amounts)), unit="EUR"),
        given("audit", draw(money), unit="EUR", posts_to="administration_costs"),
        given("pay", draw(money), unit="EUR", posts_to="people_costs"),
        given("rent", draw(money), unit="EUR", posts_to="premises_costs", actuals={(): tuple(draw(amounts)[:3])}),
    )
    return company(
        *(
            ScheduleSettings(kind.name, f"a_{kind.name}", kind.name, parts.get(kind.name, kind.example))
            for kind in SCHEDULES
        ),
        sales=monthly(draw(amounts)),
        costs=monthly(draw(amounts)),
        lines=lines,
        more_dimensions=(register, agreed, teams, seats),
        timeline=Timeline(START, 24, draw(st.integers(1, 12)), START.plus(2)),
        closings=tuple(closings),
        opening_balances={
            "cash": cash,
            "share_capital": 100.0,
            "retained_earnings": cash + sum(assets) - sum(owed) - 100,
        },
    )


CHANGED = ["sales", "costs", "a_receivables_bad_debt", "a_loan_rate", "a_fixed_assets_bought", "a_lease_payment",
           "a_loan_postponed", "a_income_tax_put_off",
           "a_overdraft_limit", "a_sales_tax_rate", "a_inventory_days", "pay", "a_contracts_fee", "joiners",
           "a_people_salary",
           "a_people_seat_counts", "leavers"]  # fmt: skip
PUT_OFF = ["a_receivables_collected", "a_payables_paid", "a_sales_tax_paid", "a_payroll_charges_paid",
           "settled_rent", "a_accrued_costs_paid", "a_people_paid", "a_people_charges_paid"]  # fmt: skip
adjustments = st.lists(
    st.one_of(
        st.builds(Change, st.sampled_from(CHANGED), st.sampled_from([Operation.SET, Operation.ADD, Operation.SCALE]),
                  st.floats(0, 1)),
        st.builds(Change, st.sampled_from(CHANGED), st.just(Operation.STOP)),
        st.builds(lambda line, share, over: Change(line, Operation.DEFER, share, (), START.plus(5), START.plus(9),
                                                   catch_up_months=over),
                  st.sampled_from(PUT_OFF), shares, st.integers(1, 20)),
    ),
    max_size=4,
)  # fmt: skip


@law(25)
@forall(companies(closings), adjustments)
def test_whatever_the_terms_everything_ties(plan, changes):
    results = evaluate(plan, [(), changes])
    size = max(1.0, float(np.abs(results.values("total_assets")).max()))
    assert not plan.problems
    assert not results.unsolved
    for check in CHECKS:
        assert np.abs(results.values(check)).max() <= 1e-6 * size, check
    taken = results.values("dividends") + results.values("owners_draw")
    earned = results.values("retained_earnings")
    np.testing.assert_allclose(np.diff(earned, axis=0), (results.values("net_profit") - taken)[1:], atol=1e-6 * size)
    checked = Checked(evaluate(plan))
    judging = ("possible", "unexplained")
    found = [finding for check in ALL_CHECKS if check.name not in judging for finding in check.find(checked)]
    assert found == []


@law(15)
@forall(companies())
def test_registers_of_debt_and_assets_tie_and_never_go_below_nothing(plan):
    results = evaluate(plan)
    size = max(1.0, float(np.abs(results.values("total_assets")).max()))

    def whole(name):
        return results.series(name)

    np.testing.assert_allclose(whole("loans"), whole("a_loan_balance"), atol=1e-6 * size)
    np.testing.assert_allclose(whole("leases"), whole("a_lease_liability"), atol=1e-6 * size)
    each = results.values("a_asset_register_net_book_value").sum(axis=0)[..., 0]
    np.testing.assert_allclose(whole("property_and_equipment"), each, atol=1e-6 * size)
    for name in ("a_loan_balance", "a_loan_short", "a_loan_long", "a_lease_liability", "a_inventory_balance",
                 "property_and_equipment", "intangible_assets", "deferred_revenue", "a_lease_short"):  # fmt: skip
        assert whole(name).min() >= -1e-6 * size, name


@law(12)
@forall(companies())
def test_the_overdraft_stays_within_its_limit_and_cash_above_its_floor_while_it_can(plan):
    results = evaluate(plan)
    drawn, limit = results.values("overdraft"), results.values("overdraft_limit")
    nearly = 1e-9 * max(1.0, float(np.abs(results.values("cash_after_overdraft")).max()))
    assert (drawn >= 0).all()
    assert (drawn <= limit + nearly).all()
    room_left = drawn < limit - nearly
    floor = results.values("a_overdraft_floor")
    assert (results.values("cash")[room_left] >= floor[room_left] - nearly).all()


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
