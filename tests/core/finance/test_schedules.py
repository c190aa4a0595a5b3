"""Each schedule against worked examples; every schedule in the registry against the same checks."""

from importlib.resources import files

import numpy as np
import numpy_financial as npf
import pytest

from tests.small import REGION, company, given, series
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel
from widefork.core.finance.schedules import SCHEDULES, SettingKind
from widefork.core.graph.model import ScheduleSettings

EXAMPLES = {
    "receivables": {"of": ["sales"], "days": 47},
    "payables": {"of": ["costs"], "days": 30},
    "fixed_assets": {"bought": {"one_off": {"2026-03": 6000}}, "life_months": 12, "salvage": 0.1},
    "loan": {"amount": 12000, "drawn_in": "2026-01", "rate": 0.12, "term_months": 12},
    "overdraft": {"limit": 500, "rate": 0.1, "floor": 0},
    "income_tax": {"rate": 0.25},
}


def schedule(kind, name="it", **changed):
    return ScheduleSettings(kind, name, name.title(), {**EXAMPLES[kind], **changed})


def test_every_schedule_has_an_example_here():
    assert set(EXAMPLES) == set(SCHEDULES.names)


@pytest.mark.parametrize("kind", SCHEDULES.names)
def test_every_schedule_computes_ties_and_explains_itself(kind):
    plan = company(schedule(kind))
    results = evaluate(plan)
    assert not plan.problems
    for check in ("balance_difference", "cash_difference"):
        assert np.abs(results.values(check)).max() < 1e-6
    assert SCHEDULES[kind].summary.endswith(".")
    folder = type(SCHEDULES[kind]).__module__.rpartition(".")[0]
    topic = "trade_terms" if kind in ("receivables", "payables") else kind
    assert len(files(folder).joinpath(topic, "help.md").read_text("utf-8")) > 100


@pytest.mark.parametrize("kind", SCHEDULES.names)
def test_every_setting_refuses_what_it_cannot_take(kind):
    for setting in SCHEDULES[kind].settings:
        wrong = [1] if setting.kind is SettingKind.MONTH else "nonsense"
        given_settings = {**EXAMPLES[kind], setting.key: wrong}
        if kind == "loan" and setting.key == "opening_balance":
            given_settings = {"opening_balance": wrong, "rate": 0.1, "term_months": 12}
        with pytest.raises(InvalidModel, match="schedules/it"):
            company(ScheduleSettings(kind, "it", "It", given_settings))
        if setting.is_required:
            without = {key: value for key, value in EXAMPLES[kind].items() if key != setting.key}
            with pytest.raises(InvalidModel, match=setting.label):
                company(ScheduleSettings(kind, "it", "It", without))


def test_unknown_schedules_and_settings_name_the_nearest():
    with pytest.raises(InvalidModel, match="Did you mean loan"):
        company(ScheduleSettings("lone", "it", "It", {}))
    with pytest.raises(InvalidModel, match="Did you mean term_months"):
        company(schedule("loan", term_month=3))


def loan_of(amount, rate, term, months, **more):
    return company(schedule("loan", amount=amount, rate=rate, term_months=term, **more), months=months)


def test_level_loan_month_by_month():
    # constructed: 100,000 at 6 % over 60 months; closed form, numpy-financial and a loop agree
    plan = loan_of(100000, 0.06, 60, 61)
    interest, repaid, balance = (np.array(series(plan, f"it_{part}")) for part in ("interest", "repaid", "balance"))
    months = [1, 2, 12, 24, 36, 48, 59, 60]
    assert interest[months].tolist() == pytest.approx(
        [500, 492.83359923528604, 419.16897228098236, 325.78190773818795, 226.63493339794522, 121.3727906274106,
         19.188766152571954, 9.618309218620855], abs=1e-7,
    )  # fmt: skip
    assert balance[[1, 12, 24, 60]].tolist() == pytest.approx(
        [98566.7198470572, 82319.68327553467, 63548.88330243299, 0], abs=1e-6
    )
    assert (interest + repaid)[1:].tolist() == pytest.approx([1933.2801529427918] * 60, abs=1e-6)
    assert interest.sum() == pytest.approx(15996.80917656751, abs=1e-6)


def test_one_year_loan_published():
    # numpy-financial 1.0.0, docstring of ipmt: 2,500 at 8.24 % over 12 months, two decimals
    plan = loan_of(2500, 0.0824, 12, 13)
    interest = [17.17, 15.79, 14.4, 13.01, 11.6, 10.18, 8.76, 7.32, 5.88, 4.42, 2.96, 1.49]
    assert series(plan, "it_interest")[1:] == pytest.approx(interest, abs=0.005)
    periods = np.arange(1, 13)
    assert series(plan, "it_repaid")[1:] == pytest.approx(
        (-npf.ppmt(0.0824 / 12, periods, 12, 2500)).tolist(), rel=1e-9
    )


def test_straight_and_bullet_loans():
    # textbook method: 12,000 at 1 % a month in 12 equal principal instalments
    straight = loan_of(12000, 0.12, 12, 13, repayment="straight")
    assert series(straight, "it_interest")[1:] == pytest.approx([120, 110, 100, 90, 80, 70, 60, 50, 40, 30, 20, 10])
    assert series(straight, "it_repaid")[1:] == pytest.approx([1000] * 12)
    bullet = loan_of(12000, 0.12, 3, 6, repayment="bullet")
    assert series(bullet, "it_repaid") == [0, 0, 0, 12000, 0, 0]
    assert series(bullet, "it_interest") == pytest.approx([0, 120, 120, 120, 0, 0])


def test_a_loan_owed_at_the_start_runs_off_from_where_it_is():
    owed = ScheduleSettings("loan", "it", "It", {"opening_balance": 2500, "rate": 0.0824, "term_months": 12})
    plan = company(owed, opening_balances={"cash": 2500})
    assert series(plan, "it_balance")[0] == pytest.approx(2299.42, abs=0.005)
    assert series(plan, "it_balance")[11] == pytest.approx(0, abs=1e-9)
    with pytest.raises(InvalidModel, match="give one of them"):
        company(schedule("loan", opening_balance=100))


def test_straight_line_depreciation_by_year():
    # standard formula: cost 50,000, 10 % left, 5 years, in service in April, month of purchase charged in full
    plan = company(
        schedule("fixed_assets", bought={"one_off": {"2026-04": 50000}}, life_months=60, salvage=0.1), months=72
    )
    charge = np.array(series(plan, "it_depreciation")).reshape(6, 12).sum(axis=1)
    assert charge.tolist() == pytest.approx([6750, 9000, 9000, 9000, 9000, 2250])
    assert series(plan, "it_net_book_value")[11::12] == pytest.approx([43250, 34250, 25250, 16250, 7250, 5000])


def test_what_is_owned_already_runs_off_over_its_remaining_months():
    owned = schedule("fixed_assets", bought=0, opening_net_book_value=900, opening_remaining_months=3)
    plan = company(owned, opening_balances={"share_capital": 900})
    assert series(plan, "it_net_book_value")[:4] == pytest.approx([600, 300, 0, 0])


def test_customers_pay_after_their_days():
    # common practice, 30-day months: 47 days of a flat 1,000 a month are this month's and 17/30 of the last
    plan = company(schedule("receivables", opening_balance=1500, opening_invoices=[900, 900]))
    assert series(plan, "it_balance")[:2] == pytest.approx([1000 + 17 / 30 * 900, 1000 + 17 / 30 * 1000])
    assert series(plan, "it_collected")[0] == pytest.approx(1500 + 1000 - 1510)
    assert series(plan, "it_collected")[5] == pytest.approx(1000)


def test_the_overdraft_draws_and_repays_by_itself():
    # constructed: opening cash 30, floor 20, flows -25, -10, 5, 12, 30, no interest
    flows = {"monthly": {"start": "2026-01", "amounts": [-25, -10, 5, 12, 30]}}
    plan = company(
        schedule("overdraft", limit=100, rate=0, floor=20), months=5, sales=flows, costs=0,
        opening_balances={"cash": 30, "share_capital": 30},
    )  # fmt: skip
    assert series(plan, "it_drawn") == pytest.approx([15, 25, 20, 8, 0])
    assert series(plan, "cash") == pytest.approx([20, 20, 20, 20, 42])
    assert series(plan, "cash_after_overdraft") == pytest.approx([5, -5, 0, 12, 42])


def test_beyond_its_limit_the_overdraft_leaves_an_unfunded_shortfall():
    plan = company(schedule("overdraft", limit=10, floor=0, rate=0), months=2, sales=0, costs=25)
    assert series(plan, "it_drawn") == [10, 10]
    assert series(plan, "it_shortfall") == [15, 40]
    assert series(plan, "cash") == [-15, -40]
    assert series(plan, "waterline") == [-10, -10]
    assert series(plan, "headroom") == [-15, -40]


def test_losses_are_carried_forward_before_tax_is_due():
    # common practice, constructed: profits -100, -50, 80, 120, 60 a year at 25 %
    yearly = {"by_year": {2026: -100 / 12, 2027: -50 / 12, 2028: 80 / 12, 2029: 120 / 12, 2030: 60 / 12}}
    plan = company(schedule("income_tax"), months=60, sales=yearly, costs=0)
    assert series(plan, "it_to_date")[11::12] == pytest.approx([0, 0, 0, 12.5, 15], abs=1e-9)
    assert series(plan, "it_losses_left")[11::12] == pytest.approx([100, 150, 70, 0, 0], abs=1e-9)
    assert sum(series(plan, "income_tax")) == pytest.approx(27.5)
    assert series(plan, "it_paid")[52] == pytest.approx(12.5)


def test_a_line_spread_over_members_posts_its_sum():
    plan = company(lines=(given("kits", 5, over=(REGION.name,), posts_to="revenue"),))
    assert series(plan, "revenue")[0] == 1015


def test_posting_to_an_unknown_caption_names_the_nearest():
    with pytest.raises(InvalidModel, match="Did you mean revenue"):
        company(lines=(given("kits", 5, posts_to="revenues"),))
