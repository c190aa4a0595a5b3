"""When things are paid: terms, prepaid billing and costs, accruals, stock, sales tax and payroll."""

import numpy as np
import pytest

from tests.core.finance.sample import bare, schedule
from tests.kit.small import company, given, series
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel
from widefork.core.finance.assemble import write_schedules

MONTHLY = {"start": "2026-01"}


def monthly(*amounts):
    return {"monthly": {**MONTHLY, "amounts": list(amounts)}}


def test_customers_pay_after_their_days():
    # common practice, 30-day months: 47 days of a flat 1,000 a month are this month's and 17/30 of the last
    plan = company(schedule("receivables", opening_balance=1500, opening_invoices=[900, 900]))
    assert series(plan, "it_balance")[:2] == pytest.approx([1000 + 17 / 30 * 900, 1000 + 17 / 30 * 1000])
    assert series(plan, "it_collected")[0] == pytest.approx(1500 + 1000 - 1510)
    assert series(plan, "it_collected")[5] == pytest.approx(1000)


def test_open_invoices_show_their_ages():
    # constructed: 75 days of 100, 200, 300, 400: this month, last month, half of two months ago
    plan = company(schedule("receivables", days=75), months=4, sales=monthly(100, 200, 300, 400))
    ages = [series(plan, f"it_{part}")[3] for part in ("open_0", "open_1", "open_2", "open_older")]
    assert ages == pytest.approx([400, 300, 100, 0])


@pytest.mark.parametrize("days", [1e-310, 1e-12])
def test_days_too_few_to_reckon_back_by_leave_nothing_open(days):
    for opening in ({"opening_balance": 400}, {"opening_ages": [300, 100]}):
        plan = company(schedule("receivables", days=days, **opening), sales=1000, opening_balances={"cash": -400})
        assert series(plan, "it_balance") == pytest.approx([0] * 24, abs=1e-6)
        assert series(plan, "it_collected") == pytest.approx([1400, *[1000] * 23])


def test_an_opening_balance_runs_off_by_its_ages():
    # constructed: 45 days; open of November 100 (half of 200), of December 300: both are due as their days end
    plan = company(schedule("receivables", days=45, opening_ages=[100, 300]), sales=0)
    assert series(plan, "it_collected")[:3] == pytest.approx([100 + 150, 150, 0])
    older = company(schedule("receivables", days=45, opening_ages=[70, 100, 300]), sales=0)
    assert series(older, "it_collected")[:3] == pytest.approx([70 + 100 + 150, 150, 0])
    assert "70 of the opening balance is older than the terms" in write_schedules(older.model)[0].notices[0]
    even = company(schedule("receivables", days=45, opening_balance=450), sales=0)
    assert series(even, "it_collected")[:3] == pytest.approx([300, 150, 0])


def test_shares_paid_after_so_many_months():
    # constructed: 20 % at once, 50 % after one month, 30 % after two
    terms = bare("receivables", of=["sales"], method="shares", share_0=0.2, share_1=0.5, share_2=0.3)
    plan = company(terms, months=5, sales=monthly(1000, 2000, 0, 0, 0))
    assert series(plan, "it_collected") == pytest.approx([200, 900, 1300, 600, 0])
    assert [series(plan, f"it_{part}")[1] for part in ("open_0", "open_1")] == pytest.approx([1600, 300])
    opened = company(bare("receivables", of=["sales"], method="shares", share_0=0.2, share_1=0.5, share_2=0.3,
                          opening_ages=[300, 800]), months=3, sales=0)  # fmt: skip
    assert series(opened, "it_collected") == pytest.approx([300 + 500, 300, 0])


def test_shares_need_to_add_to_the_whole():
    with pytest.raises(InvalidModel, match=r"share_1: .*add to 90 % in Jan 26; 10 % are missing"):
        company(bare("receivables", of=["sales"], method="shares", share_0=0.2, share_1=0.7))
    with pytest.raises(InvalidModel, match="20 % are too many"):
        company(bare("receivables", of=["sales"], method="shares", share_0=0.5, share_1=0.7))


def test_the_simple_flow_can_collect_less_than_nothing():
    # common practice: balance = flow × days / 30; a fast rise then collects a negative amount, which is said
    plan = company(schedule("receivables", method="simple", days=60), months=3, sales=monthly(100, 300, 300))
    assert series(plan, "it_balance") == pytest.approx([200, 600, 600])
    assert series(plan, "it_collected") == pytest.approx([-100, -100, 300])


def test_a_balance_as_a_share_of_the_flow():
    plan = company(bare("payables", of=["costs"], method="percent", percent=0.5), costs=monthly(100, 200), months=2)
    assert series(plan, "payables") == pytest.approx([50, 100])
    assert series(plan, "it_paid") == pytest.approx([50, 150])


def test_other_days_touch_open_invoices_or_new_ones_only():
    # constructed: 30 days, 60 from March
    days = {"steps": {"2026-01": 30, "2026-03": 60}}
    every = company(schedule("receivables", days=days), months=5)
    assert series(every, "it_balance") == pytest.approx([1000, 1000, 2000, 2000, 2000])
    assert series(every, "it_collected") == pytest.approx([0, 1000, 0, 1000, 1000])
    new = company(schedule("receivables", days=days, new_terms="new"), months=5)
    assert series(new, "it_balance") == pytest.approx([1000, 1000, 1000, 2000, 2000])


def test_longer_days_never_collect_less_than_nothing():
    # what was paid is not owed again: from 30 days to 90 in March, nothing comes in for two months
    days = {"steps": {"2026-01": 30, "2026-03": 90}}
    plan = company(schedule("receivables", days=days), months=6)
    assert series(plan, "it_collected") == pytest.approx([0, 1000, 0, 0, 1000, 1000])
    assert series(plan, "it_balance") == pytest.approx([1000, 1000, 2000, 3000, 3000, 3000])


def test_bad_debts_are_charged_and_never_collected():
    # constructed: 4 % of 1,000 a month at 30 days
    plan = company(schedule("receivables", days=30, bad_debt=0.04), months=3)
    assert series(plan, "bad_debts") == pytest.approx([40] * 3)
    assert series(plan, "receivables") == pytest.approx([960] * 3)
    assert series(plan, "customer_receipts") == pytest.approx([0, 960, 960])


def test_prepaid_billing_is_earned_month_by_month():
    # common practice, constructed: contracts of 1,200 a year paid up front, 10 in month 1, 5 in month 4
    sold = given("sold", monthly(12000, 0, 0, 6000, *[0] * 9), unit="EUR")
    plan = company(bare("prepaid_billing", of=["sold"]), months=13, sales=0, costs=0, lines=(sold,))
    assert series(plan, "customer_receipts")[:6] == [12000, 0, 0, 6000, 0, 0]
    assert series(plan, "revenue")[:6] == pytest.approx([1000, 1000, 1000, 1500, 1500, 1500])
    assert series(plan, "deferred_revenue")[:6] == pytest.approx([11000, 10000, 9000, 13500, 12000, 10500])
    assert series(plan, "deferred_revenue")[11] == pytest.approx(1500)
    assert sum(series(plan, "revenue")[:12]) == pytest.approx(16500)


def test_what_was_owed_as_service_at_the_start_is_earned_too():
    sold = given("sold", 100, unit="EUR")
    opened = bare("prepaid_billing", of=["sold"], share_ahead=0.5, months=2, opening_balance=60, opening_months=3)
    plan = company(opened, sales=0, costs=0, lines=(sold,), opening_balances={"cash": 60})
    assert series(plan, "revenue")[:4] == pytest.approx([95, 120, 120, 100])
    with pytest.raises(InvalidModel, match="posts to the income statement already"):
        company(bare("prepaid_billing", of=["sales"]))


def test_prepaid_costs_are_used_up():
    # common practice, constructed: insurance of 2,400 paid in month 1 for 12 months
    insurance = given("insurance", monthly(2400, *[0] * 11), unit="EUR")
    plan = company(bare("prepaid_costs", of=["insurance"]), months=12, sales=0, costs=0, lines=(insurance,))
    assert series(plan, "prepaid_costs")[3] == pytest.approx(1600)
    assert series(plan, "administration_costs") == pytest.approx([200] * 12)
    assert series(plan, "supplier_payments")[0] == 2400


def test_accrued_costs_are_paid_in_one_sum():
    # common practice, constructed: 1,000 a month accrued, 12,000 paid in month 12
    plan = company(bare("accrued_costs", of=["costs"], every=12, first_paid="2026-12"), costs=1000)
    assert series(plan, "accrued_costs")[10:12] == pytest.approx([11000, 0])
    assert series(plan, "it_paid")[11] == 12000
    opened = bare("accrued_costs", of=["costs"], every=3, first_paid="2026-02", opening_balance=50)
    plan = company(opened, costs=100, opening_balances={"cash": 50})
    assert series(plan, "it_paid")[:8] == [0, 250, 0, 0, 300, 0, 0, 300]


def test_stock_covers_the_use_ahead():
    # constructed: 45 days are next month's use and half of that of the month after; the last month's use holds on
    plan = company(schedule("inventory", days=45), months=4, costs=monthly(100, 200, 300, 300))
    assert series(plan, "inventory") == pytest.approx([350, 450, 450, 450])
    assert series(plan, "it_purchases") == pytest.approx([450, 300, 300, 300])
    assert series(plan, "supplier_payments") == pytest.approx([450, 300, 300, 300])
    assert series(plan, "cost_of_sales") == [100, 200, 300, 300]


@pytest.mark.parametrize("days", [0, 12, 30, 75, 170, 260])
def test_stock_walks_ahead_over_the_months_that_come(days):
    use = [100, 220, 90, 310, 150, 400, 60, 500, 30, 210, 260, 140]
    plan = company(schedule("inventory", days=days), months=12, costs=monthly(*use))

    def held(month):
        left, found = days / 30, 0.0
        for ahead in range(1, 7):
            share = min(1.0, left) if ahead < 6 else left  # beyond six months at the use of the sixth
            found += share * use[min(month + ahead, 11)]
            left -= share
        return found

    assert series(plan, "it_wanted") == pytest.approx([held(month) for month in range(12)])


def test_stock_falls_no_faster_than_it_is_used():
    opened = bare("inventory", of=["costs"], method="percent", percent=0.5, opening_balance=500)
    plan = company(opened, months=5, costs=200, opening_balances={"share_capital": 500})
    assert series(plan, "inventory") == pytest.approx([300, 100, 100, 100, 100])
    assert series(plan, "it_purchases") == pytest.approx([0, 0, 200, 200, 200])


def test_terms_of_what_is_kept_in_stock_apply_to_what_is_bought():
    plan = company(schedule("inventory", "stock", days=30), schedule("payables", days=30), months=3, costs=100)
    assert series(plan, "it_invoiced") == pytest.approx([200, 100, 100])
    assert series(plan, "payables") == pytest.approx([200, 100, 100])


def test_what_is_bought_for_one_stock_is_settled_once():
    more = given("more", 50, unit="EUR", posts_to="cost_of_sales")
    stock = bare("inventory", "stock", of=["costs", "more"], days=30)
    plan = company(stock, schedule("payables", days=30), lines=(more,), costs=100)
    assert series(plan, "payables")[:3] == pytest.approx([300, 150, 150])
    assert np.abs(evaluate(plan).values("methods_difference")).max() < 1e-9
    with pytest.raises(InvalidModel, match="both settle materials of Stock"):
        company(stock, schedule("payables"), bare("payables", "others", of=["more"], days=9), lines=(more,))


def test_sales_tax_goes_through_cash_and_not_through_income():
    # common practice, constructed: 20 % both ways, net tax of a month paid in the next
    tax = schedule("sales_tax", rhythm="monthly")
    plan = company(tax, months=4, sales=monthly(1000, 1500, 1200, 0), costs=monthly(400, 600, 300, 0))
    assert series(plan, "customer_receipts") == pytest.approx([1200, 1800, 1440, 0])
    assert series(plan, "supplier_payments") == pytest.approx([480, 720, 360, 0])
    assert series(plan, "it_paid") == pytest.approx([0, 120, 180, 180])
    assert series(plan, "sales_tax_payable") == pytest.approx([120, 180, 180, 0])
    assert series(plan, "net_cash_flow") == pytest.approx([720, 960, 900, -180])
    assert series(plan, "net_profit") == pytest.approx([600, 900, 900, 0])


@pytest.mark.parametrize(
    ("rhythm", "after", "paid"),
    [("quarterly", 1, {3: 240, 6: 240, 9: 240, 12: 240}), ("quarterly", 2, {4: 240, 7: 240, 10: 240, 13: 240}),
     ("yearly", 3, {14: 960}), ("monthly", 0, dict.fromkeys(range(14), 80))],
)  # fmt: skip
def test_the_rhythm_of_sales_tax(rhythm, after, paid):
    plan = company(schedule("sales_tax", rhythm=rhythm, paid_after=after), months=15)
    assert series(plan, "it_paid")[:14] == pytest.approx([paid.get(month, 0) for month in range(14)])


def test_sales_tax_owed_at_the_start_is_paid_with_the_first_payment():
    opened = schedule("sales_tax", paid_after=1, opening_balance=99)
    plan = company(opened, sales=0, costs=0, opening_balances={"cash": 99})
    assert series(plan, "it_paid")[:5] == [99, 0, 0, 0, 0]


def test_sales_tax_on_equipment_and_on_stock():
    tax = schedule("sales_tax", rhythm="monthly", on_equipment="taxed")
    plan = company(
        tax, schedule("fixed_assets", "machines", salvage=0), schedule("inventory", "stock", days=30), months=6
    )
    assert series(plan, "it_with_equipment")[2] == pytest.approx(1200)
    assert series(plan, "it_recovered")[0] == pytest.approx(0.2 * 1200)
    assert np.abs(evaluate(plan).values("methods_difference")).max() < 1e-9


def test_the_terms_of_a_taxed_line_hold_for_the_whole_invoice():
    plan = company(schedule("sales_tax", "tax", rhythm="monthly"), schedule("receivables", days=30), months=3)
    assert series(plan, "receivables") == pytest.approx([1200] * 3)


def test_charges_are_paid_the_month_after_and_support_comes_later():
    # common practice: the employer's charge is a cost of the month of work, paid the month after
    pay = schedule("payroll", charge_rate=0.21, benefit_rate=0.05, support={"steps": {"2026-02": 0.6, "2026-03": 0}})
    plan = company(pay, months=5, costs=1000)
    assert series(plan, "people_costs") == pytest.approx([260] * 5)
    assert series(plan, "staff_payments") == pytest.approx([1050, 1260, 1260, 1260, 1260])
    assert series(plan, "payroll_liabilities") == pytest.approx([210] * 5)
    assert series(plan, "other_income") == pytest.approx([0, 600, 0, 0, 0])
    assert series(plan, "it_support_received") == pytest.approx([0, 0, 0, 600, 0])
    assert series(plan, "other_receivables") == pytest.approx([0, 600, 600, 0, 0])


def test_pay_and_charges_owed_at_the_start_are_paid_when_they_fall_due():
    owed = schedule(
        "payroll", charge_rate=0, opening_charges=90, charges_paid_after=2, opening_pay=500, pay_paid_after=1
    )
    plan = company(owed, costs=100, opening_balances={"cash": 590})
    assert series(plan, "staff_payments")[:4] == pytest.approx([545, 145, 100, 100])
    assert series(plan, "balance_difference") == pytest.approx([0] * 24)


def test_other_balances_by_level_and_by_movement():
    level = bare("other_balance", caption="deposits", level={"steps": {"2026-02": 300, "2026-04": 100}})
    plan = company(level, months=5)
    assert series(plan, "deposits") == pytest.approx([0, 300, 300, 100, 100])
    assert series(plan, "investing_cash_flow") == pytest.approx([0, -300, 0, 200, 0])
    owed = bare("other_balance", caption="other_liabilities", added={"one_off": {"2026-02": 80}})
    plan = company(owed, months=3)
    assert series(plan, "other_liabilities") == [0, 80, 80]
    assert series(plan, "operating_cash_flow") == [400, 480, 400]
    with pytest.raises(InvalidModel, match="not both"):
        company(bare("other_balance", caption="deposits", level=5, added=5))
