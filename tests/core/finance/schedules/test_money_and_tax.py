"""Overdraft, owners, dividends, grants and income tax."""

import pytest

from tests.core.finance.sample import bare, schedule
from tests.kit.small import START, company, series
from widefork.core.axes import Timeline


def months(*amounts):
    return {"monthly": {"start": "2026-01", "amounts": list(amounts)}}


def test_the_overdraft_draws_and_repays_by_itself():
    # constructed: opening cash 30, floor 20, flows -25, -10, 5, 12, 30, no interest
    flows = {"monthly": {"start": "2026-01", "amounts": [-25, -10, 5, 12, 30]}}
    plan = company(
        schedule("overdraft", limit=100, rate=0, floor=20), months=5, sales=flows, costs=0,
        opening_balances={"cash": 30, "share_capital": 30},
    )  # fmt: skip
    assert series(plan, "it_drawn") == pytest.approx([15, 25, 20, 8, 0])
    assert series(plan, "overdraft_drawn") == pytest.approx([15, 10, -5, -12, -8])
    assert series(plan, "cash") == pytest.approx([20, 20, 20, 20, 42])
    assert series(plan, "cash_after_overdraft") == pytest.approx([5, -5, 0, 12, 42])


def test_beyond_its_limit_what_is_short_is_a_debt_of_its_own():
    # constructed: limit 10, 25 needed a month, nothing to begin with; the statements tie with it
    plan = company(schedule("overdraft", limit=10, floor=0, rate=0), months=3, sales=months(0, 0, 60), costs=25)
    assert series(plan, "it_drawn") == [10, 10, 10]
    assert series(plan, "not_funded") == [15, 40, 5]
    assert series(plan, "not_funded_change") == [15, 25, -35]
    assert series(plan, "cash") == [0, 0, 0]
    assert series(plan, "cash_after_overdraft") == [-25, -50, -15]
    assert series(plan, "waterline") == [-10, -10, -10]
    assert series(plan, "headroom") == [-15, -40, -5]
    assert series(plan, "current_liabilities") == [25, 50, 15]
    assert series(plan, "net_debt") == [25, 50, 15]
    assert series(plan, "net_cash_flow") == [0, 0, 0]
    assert series(plan, "balance_difference") == series(plan, "cash_difference") == [0, 0, 0]


def test_nothing_is_owed_to_fill_the_lowest_cash_held():
    # floor 20, limit 10, costs 5: 10 are drawn and 5 of them held; 20 would need more than is agreed, and nobody lends
    plan = company(schedule("overdraft", limit=10, floor=20, rate=0), months=3, sales=0, costs=5)
    assert series(plan, "cash") == [5, 0, 0]
    assert series(plan, "not_funded") == [0, 0, 5]
    assert series(plan, "it_shortfall") == [15, 20, 25]


def test_what_is_not_funded_costs_what_the_overdraft_does_and_nothing_without_one():
    # 12 % a year is 1 % of the balance a month before: 10 drawn and 90 not funded, then what the interest adds
    owing = company(schedule("overdraft", limit=10, rate=0.12), months=3, sales=0, costs=months(100, 0, 0))
    assert series(owing, "interest_expense") == pytest.approx([0, 1, 1.01])
    assert series(owing, "not_funded") == pytest.approx([90, 91, 92.01])
    bare = company(months=3, sales=0, costs=months(100, 0, 0))
    assert series(bare, "interest_expense") == [0, 0, 0]
    assert series(bare, "not_funded") == [100, 100, 100]
    assert series(bare, "cash") == [0, 0, 0]


def test_of_two_overdrafts_one_bears_what_is_not_funded():
    one = schedule("overdraft", limit=0, rate=0.12)
    two = schedule("overdraft", "other", limit=0, rate=0.24)
    plan = company(one, two, months=2, sales=0, costs=months(100, 0))
    assert series(plan, "interest_expense") == pytest.approx([0, 1])


def test_an_account_that_is_overdrawn_at_the_start_without_a_limit_is_owed():
    plan = company(months=2, sales=0, costs=0, opening_balances={"cash": -30, "share_capital": -30})
    assert series(plan, "not_funded") == [30, 30]
    assert series(plan, "not_funded_change") == [0, 0]
    assert series(plan, "cash") == [0, 0]
    assert series(plan, "balance_difference") == [0, 0]


def test_interest_on_the_average_overdraft_is_solved_within_the_month():
    # closed form: closing = (opening × (1 + r/2) + need) / (1 − r/2); 1,000 drawn, 200 needed, 1 % a month
    drawn = schedule("overdraft", limit=5000, rate=0.12, opening_balance=1000, interest_on="average")
    plan = company(drawn, months=1, sales=0, costs=200, opening_balances={"share_capital": -1000})
    assert series(plan, "it_drawn") == pytest.approx([1211.0552763819096], abs=1e-8)
    assert series(plan, "it_interest") == pytest.approx([11.055276381909549], abs=1e-8)
    opening = company(schedule("overdraft", limit=5000, rate=0.12, opening_balance=1000), months=1, sales=0, costs=200)
    assert series(opening, "it_interest") == pytest.approx([10])


def test_owners_pay_in_and_draw():
    # common practice: capital raises cash and equity, a draw lowers both; neither touches income
    plan = company(schedule("equity"), months=4)
    assert series(plan, "share_capital") == [0, 0, 5000, 5000]
    assert series(plan, "net_profit") == [400] * 4
    assert series(plan, "retained_earnings") == [300, 600, 900, 1200]
    assert series(plan, "cash") == [300, 600, 5900, 6200]


def test_dividends_are_a_share_of_last_years_profit():
    plan = company(schedule("dividends", share=0.25, opening_profit=800, amount={"one_off": {"2026-07": 50}}))
    paid = series(plan, "dividends")
    assert {month: amount for month, amount in enumerate(paid) if amount} == {3: 200, 6: 50, 15: 1200}
    loss = company(schedule("dividends"), costs=2000)
    assert series(loss, "dividends") == [0] * 24


def test_grants_as_income_spread_and_against_an_asset():
    # IAS 20.12 and 20.24: recognised over the periods of the costs they are for; against an asset, over its life
    granted = {"one_off": {"2026-02": 1200}}
    at_once = company(bare("grant", granted=granted, received_after=2), months=5)
    assert series(at_once, "other_income") == [0, 1200, 0, 0, 0]
    assert series(at_once, "other_receivables") == [0, 1200, 1200, 0, 0]
    spread = company(bare("grant", granted=granted, treatment="spread", over_months=12), months=5)
    assert series(spread, "other_income") == pytest.approx([0, 100, 100, 100, 100])
    assert series(spread, "deferred_grants") == pytest.approx([0, 1100, 1000, 900, 800])
    asset = company(bare("grant", granted=granted, treatment="asset", over_months=24), months=5)
    assert series(asset, "grants_released") == pytest.approx([0, 50, 50, 50, 50])
    assert series(asset, "investing_cash_flow") == [0, 1200, 0, 0, 0]
    assert series(asset, "long_assets") == pytest.approx([0, -1150, -1100, -1050, -1000])
    assert series(asset, "operating_cash_flow") == pytest.approx([400] * 5)


YEARS = {"by_year": {2026: -100 / 12, 2027: -50 / 12, 2028: 80 / 12, 2029: 120 / 12, 2030: 60 / 12}}


@pytest.mark.parametrize(
    ("settings", "tax", "left"),
    # common practice, constructed: profits -100, -50, 80, 120, 60 a year at 25 %; without limit, and with losses
    # covering at most 80 % of a year's profit
    [({}, [0, 0, 0, 12.5, 15], [100, 150, 70, 0, 0]), ({"loss_cover": 0.8}, [0, 0, 4, 8.5, 15], [100, 150, 86, 0, 0])],
)
def test_losses_are_carried_forward_before_tax_is_due(settings, tax, left):
    plan = company(schedule("income_tax", **settings), months=60, sales=YEARS, costs=0)
    assert series(plan, "it_to_date")[11::12] == pytest.approx(tax, abs=1e-9)
    assert series(plan, "it_losses_left")[11::12] == pytest.approx(left, abs=1e-9)
    assert sum(series(plan, "income_tax")) == pytest.approx(sum(tax))
    assert series(plan, "it_paid")[52] == pytest.approx(tax[3])


def test_losses_expire_the_oldest_first():
    # constructed: 100 lost in 2026 lasts two years: 30 used in 2027, 40 in 2028, 30 gone in 2029
    years = {"by_year": {2026: -100 / 12, 2027: 30 / 12, 2028: 40 / 12, 2029: 50 / 12, 2030: 60 / 12}}
    plan = company(schedule("income_tax", losses_expire_after=2), months=60, sales=years, costs=0)
    assert series(plan, "it_losses_available")[11::12] == pytest.approx([0, 100, 70, 0, 0], abs=1e-9)
    assert series(plan, "it_losses_expired")[36] == pytest.approx(30)
    assert series(plan, "it_to_date")[11::12] == pytest.approx([0, 0, 0, 12.5, 15], abs=1e-9)
    opened = schedule("income_tax", losses_expire_after=1, opening_losses=70)
    plan = company(opened, months=36, sales={"by_year": {2026: 10 / 12, 2027: 60 / 12, 2028: 0}}, costs=0)
    assert series(plan, "it_losses_available")[11::12] == pytest.approx([70, 0, 0], abs=1e-9)


def test_tax_is_paid_in_instalments_and_the_rest_the_year_after():
    # constructed: profit 400 a month, 25 %: 1,200 a year; instalments on 1,000 of the year before, a quarter each
    plan = company(schedule("income_tax", instalments="quarterly", opening_charge=1000), months=36)
    paid = {month: amount for month, amount in enumerate(series(plan, "it_paid")) if amount}
    quarters = {2: 250, 5: 250, 8: 250, 11: 250, 14: 300, 17: 300, 20: 300, 23: 300, 26: 300, 29: 300, 32: 300, 35: 300}
    assert paid == pytest.approx({**quarters, 16: 200})
    assert series(plan, "tax_payable")[35] == pytest.approx(0)


def test_monthly_instalments_begin_with_the_first_month():
    # constructed, as above: 1,000 of the year before in twelve parts, then 1,200; the rest of 200 in month 5
    plan = company(schedule("income_tax", instalments="monthly", opening_charge=1200), months=24)
    assert series(plan, "it_paid")[:12] == pytest.approx([100] * 12)
    assert series(plan, "it_paid")[12:] == pytest.approx([100] * 12)


def test_tax_put_off_stays_owed_until_it_is_caught_up():
    later = {"put_off": {"one_off": {"2027-05": 900}}, "caught_up": {"one_off": {"2027-09": 900}}}
    plan = company(schedule("income_tax", **later))
    assert {month: paid for month, paid in enumerate(series(plan, "it_paid")) if paid} == {16: 300, 20: 900}
    assert series(plan, "tax_payable")[15:21] == pytest.approx([1600, 1400, 1500, 1600, 1700, 900])


def test_tax_owed_at_the_start_and_past_its_month_is_paid_at_once():
    plan = company(
        schedule("income_tax", opening_payable=90), timeline=Timeline(START, 24, 7), sales=0, costs=0,
        opening_balances={"cash": 90},
    )  # fmt: skip
    assert series(plan, "it_paid")[:2] == [90, 0]
