"""Loans and leases against published and constructed schedules."""

import numpy as np
import numpy_financial as npf
import pytest

from tests.core.finance.sample import bare, schedule
from tests.kit.small import company, given, series
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidModel


def loan_of(amount, rate, term, months, **more):
    return company(schedule("loan", amount=amount, rate=rate, term_months=term, **more), months=months)


def parts(plan, *names):
    return [np.array(series(plan, f"it_{name}")) for name in names]


def test_level_loan_month_by_month():
    # constructed: 100,000 at 6 % over 60 months; closed form, numpy-financial and a loop agree
    interest, repaid, balance = parts(loan_of(100000, 0.06, 60, 61), "interest", "repaid", "balance")
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
    balance = [2299.42, 2097.46, 1894.11, 1689.37, 1483.22, 1275.66, 1066.67, 856.25, 644.38, 431.05, 216.26, 0]
    assert series(plan, "it_interest")[1:] == pytest.approx(interest, abs=0.005)
    assert series(plan, "it_balance")[1:] == pytest.approx(balance, abs=0.005)
    periods = np.arange(1, 13)
    assert series(plan, "it_repaid")[1:] == pytest.approx(
        (-npf.ppmt(0.0824 / 12, periods, 12, 2500)).tolist(), rel=1e-9
    )


@pytest.mark.parametrize(
    ("amount", "rate", "months", "payment"),
    # numpy-financial 1.0.0, tests of pmt: 15,000 over 60 months at 8 % and without interest; docstring of pmt:
    # 200,000 over 180 months at 7.5 %
    [(15000, 0.08, 60, 304.14591432620523), (15000, 0, 60, 250), (200000, 0.075, 180, 1854.0247200054619)],
)
def test_level_payments_published(amount, rate, months, payment):
    interest, repaid = parts(loan_of(amount, rate, months, 25), "interest", "repaid")
    assert (interest + repaid)[1:] == pytest.approx([payment] * 24, abs=1e-8)


def test_straight_and_bullet_loans():
    # textbook method, from memory: 12,000 at 1 % a month in 12 equal principal instalments
    straight = loan_of(12000, 0.12, 12, 13, repayment="straight")
    assert series(straight, "it_interest")[1:] == pytest.approx([120, 110, 100, 90, 80, 70, 60, 50, 40, 30, 20, 10])
    assert series(straight, "it_repaid")[1:] == pytest.approx([1000] * 12)
    bullet = loan_of(12000, 0.12, 3, 6, repayment="bullet")
    assert series(bullet, "it_repaid") == [0, 0, 0, 12000, 0, 0]
    assert series(bullet, "it_interest") == pytest.approx([0, 120, 120, 120, 0, 0])


def test_a_part_may_be_kept_for_the_end():
    # closed form; numpy-financial pmt with fv: 200,000 at 5.4 % over 36 months, 80,000 still owed after the last
    interest, repaid, balance = parts(loan_of(200000, 0.054, 36, 37, balloon=80000), "interest", "repaid", "balance")
    assert (interest + repaid)[1:36] == pytest.approx([3978.0982022294675] * 35, rel=1e-9)
    assert balance[12] == pytest.approx(162134.77363136146, rel=1e-9)
    assert interest[36] + repaid[36] == pytest.approx(3978.0982022294675 + 80000, rel=1e-9)
    assert interest.sum() == pytest.approx(23211.535280260836, rel=1e-9)


def test_months_of_interest_only_come_first():
    # closed form: 120,000 at 9 %, 6 months of interest only, then 24 level payments
    plan = loan_of(120000, 0.09, 30, 31, interest_only_months=6)
    interest, repaid, balance = parts(plan, "interest", "repaid", "balance")
    assert repaid[1:7].tolist() == [0] * 6
    assert interest[7] == pytest.approx(900)
    assert repaid[7] == pytest.approx(4582.169073500771, rel=1e-9)
    assert balance[18] == pytest.approx(62688.12461479598, rel=1e-9)
    assert interest.sum() == pytest.approx(16972.05776401851, rel=1e-9)
    with pytest.raises(InvalidModel, match="leave nothing of the 6 months"):
        loan_of(100, 0.1, 6, 12, interest_only_months=6)


def test_a_holiday_with_and_without_interest():
    # constructed: 12,000 at 12 % in 12 equal principal parts; a holiday of 3 months after 3 payments
    holiday = {"holiday_from": "2026-05", "holiday_months": 3, "repayment": "straight"}
    paid = loan_of(12000, 0.12, 12, 20, **holiday)
    assert series(paid, "it_repaid")[4:8] == pytest.approx([0, 0, 0, 9000 / 6])
    assert series(paid, "it_interest")[4:8] == pytest.approx([90, 90, 90, 90])
    assert series(paid, "it_balance")[12] == 0
    later = loan_of(12000, 0.12, 12, 20, **holiday, after_holiday="later")
    assert series(later, "it_repaid")[7:16] == pytest.approx([1000] * 9)
    added = loan_of(12000, 0.12, 12, 20, **holiday, holiday_interest="added")
    assert series(added, "it_balance")[6] == pytest.approx(9000 * 1.01**3)
    assert series(added, "interest_paid")[4:7] == pytest.approx([0, 0, 0])
    with pytest.raises(InvalidModel, match="holiday needs to lie between"):
        loan_of(12000, 0.12, 12, 20, holiday_from="2027-01")


def test_further_parts_are_repaid_by_the_same_end():
    # constructed: 6,000, then 3,000 more after two of six equal parts
    parts_of_it = {"further_parts": {"one_off": {"2026-03": 3000}}, "repayment": "straight"}
    plan = loan_of(6000, 0, 6, 9, **parts_of_it)
    assert series(plan, "it_repaid") == pytest.approx([0, 1000, 1000, 1750, 1750, 1750, 1750, 0, 0])


def test_an_early_repayment_makes_payments_smaller_or_fewer():
    early = {"early": {"one_off": {"2026-03": 3000}}, "repayment": "straight"}
    smaller = loan_of(6000, 0, 6, 9, **early)
    assert series(smaller, "it_repaid") == pytest.approx([0, 1000, 1000, 250, 250, 250, 250, 0, 0])
    fewer = loan_of(6000, 0, 6, 9, **early, after_early="fewer")
    assert series(fewer, "it_repaid") == pytest.approx([0, 1000, 1000, 1000, 0, 0, 0, 0, 0])
    # with level payments the instalment stays what it was, so the last one is the smaller
    level = loan_of(100000, 0.06, 60, 61, early={"one_off": {"2026-12": 20000}}, after_early="fewer")
    interest, repaid = parts(level, "interest", "repaid")
    assert (interest + repaid)[1:40] == pytest.approx([1933.2801529427918] * 39, rel=1e-9)
    assert series(level, "it_balance")[59] == 0


def test_principal_put_off_is_repaid_over_the_months_left():
    plan = loan_of(6000, 0, 6, 9, repayment="straight", postponed={"one_off": {"2026-03": 1000}})
    assert series(plan, "it_repaid") == pytest.approx([0, 1000, 0, 1250, 1250, 1250, 1250, 0, 0])


def test_interest_on_the_average_balance_settles_within_the_month():
    # closed form for equal principal: the average of opening and closing balance at 1 %
    plan = loan_of(12000, 0.12, 12, 13, repayment="straight", interest_on="average")
    assert series(plan, "it_interest")[1:4] == pytest.approx([115, 105, 95], abs=1e-9)


def test_a_loan_drawn_at_the_beginning_of_a_month_bears_interest_for_it():
    # by hand: 1 % of 12,000 for the month drawn, then of what is owed; repaid as if drawn at its end
    early = loan_of(12000, 0.12, 12, 14, repayment="straight", drawn_at="beginning", further_parts={"one_off": {
        "2026-03": 1000}})  # fmt: skip
    late = loan_of(12000, 0.12, 12, 14, repayment="straight", further_parts={"one_off": {"2026-03": 1000}})
    assert series(early, "it_interest")[:5] == pytest.approx([120, 120, 120, 110, 99], abs=1e-9)
    assert series(late, "it_interest")[:5] == pytest.approx([0, 120, 110, 110, 99], abs=1e-9)
    assert series(early, "it_repaid") == pytest.approx(series(late, "it_repaid"))
    halved = loan_of(12000, 0.12, 12, 13, repayment="straight", drawn_at="beginning", interest_on="average")
    assert series(halved, "it_interest")[:2] == pytest.approx([120, 115], abs=1e-9)


@pytest.mark.parametrize(
    ("repayment", "balloon"), [("level", 0), ("level", 20000), ("straight", 0), ("straight", 20000)]
)
@pytest.mark.parametrize("waits", [0, 5, 20])
@pytest.mark.parametrize("rate", [0, 0.06])
def test_the_short_part_is_what_the_next_twelve_months_repay(repayment, balloon, waits, rate):
    plan = loan_of(100000, rate, 40, 60, repayment=repayment, balloon=balloon, interest_only_months=waits)
    repaid, short, long, balance = parts(plan, "repaid", "short", "long", "balance")
    within = [repaid[month + 1 : month + 13].sum() for month in range(45)]
    assert short[:45] == pytest.approx(within, abs=1e-6)
    assert short + long == pytest.approx(balance, abs=1e-9)


@pytest.mark.parametrize("after", ["same", "later"])
@pytest.mark.parametrize("interest", ["paid", "added"])
@pytest.mark.parametrize("repayment", ["level", "straight"])
def test_a_holiday_counts_in_the_short_part(after, interest, repayment):
    holiday = {"holiday_from": "2027-06", "holiday_months": 4, "holiday_interest": interest, "after_holiday": after}
    plan = loan_of(30000, 0.06, 30, 48, repayment=repayment, **holiday)
    repaid, short, balance = parts(plan, "repaid", "short", "balance")
    # Interest that is added later is not owed yet, so the short part is never more than the balance.
    within = [min(repaid[month + 1 : month + 13].sum(), balance[month]) for month in range(30)]
    assert short[:30] == pytest.approx(within, abs=1e-6)


@pytest.mark.parametrize("repayment", ["level", "straight", "bullet"])
def test_a_loan_owed_at_the_start_runs_off_from_where_it_is(repayment):
    settings = {"opening_balance": 25000, "rate": 0.0824, "term_months": 30, "repayment": repayment}
    plan = company(bare("loan", **settings), opening_balances={"cash": 25000}, months=40)
    repaid = np.array(series(plan, "it_repaid"))
    assert series(plan, "it_balance")[29] == pytest.approx(0, abs=1e-9)
    assert plan.model.line("it_short").opening == pytest.approx(repaid[:12].sum(), abs=1e-6)
    assert plan.model.line("loans").opening == pytest.approx(25000)
    with pytest.raises(InvalidModel, match="give one of them"):
        company(schedule("loan", opening_balance=100))


def lease_of(months=24, **more):
    return company(schedule("lease", payment=1000, begins="2026-03", term_months=12, rate=0.12, **more), months=months)


def test_a_lease_is_the_present_value_of_its_payments():
    # closed form: 12 payments of 1,000 at 1 % a month are worth 11,255.0775 (annuity tables: 11.2551)
    plan = lease_of()
    added, liability, interest, repaid, asset, charge = parts(
        plan, "added", "liability", "interest", "repaid", "asset", "depreciation"
    )
    assert added[2] == pytest.approx(-npf.pv(0.01, 12, 1000))
    assert (interest + repaid)[2:14] == pytest.approx([1000] * 12)
    assert liability[13] == pytest.approx(0, abs=1e-9)
    assert charge[2:14] == pytest.approx([added[2] / 12] * 12)
    assert asset[13] == pytest.approx(0, abs=1e-9)
    assert series(plan, "cash")[2] - series(plan, "cash")[1] == pytest.approx(400 - 1000)


def test_a_lease_payment_that_changes_is_remeasured():
    # IFRS 16.39: what is owed is the payments left at the rate as it was; the asset moves by the same amount
    rising = {"steps": {"2026-01": 1000, "2026-09": 1100}}
    plan = company(schedule("lease", payment=rising, begins="2026-03", term_months=12, rate=0.12))
    added, liability, interest, repaid = parts(plan, "added", "liability", "interest", "repaid")
    assert added[8] == pytest.approx(-npf.pv(0.01, 6, 100))
    assert (interest + repaid)[8:14] == pytest.approx([1100] * 6)
    assert liability[13] == pytest.approx(0, abs=1e-9)


def test_the_short_part_of_a_lease_and_one_that_runs_already():
    plan = company(schedule("lease", payment=1000, begins="2026-01", term_months=30, rate=0.06), months=36)
    repaid, short = parts(plan, "repaid", "short")
    assert short[:24] == pytest.approx([repaid[m + 1 : m + 13].sum() for m in range(24)], abs=1e-6)
    owed = -float(npf.pv(0.005, 18, 1000))
    running = bare("lease", payment=1000, term_months=18, rate=0.06, opening_liability=owed, opening_asset=owed)
    plan = company(running, opening_balances={})
    assert series(plan, "it_liability")[17] == pytest.approx(0, abs=1e-9)
    assert plan.model.line("leases_long").opening == pytest.approx(-float(npf.pv(0.005, 6, 1000)))
    assert np.abs(evaluate(plan).values("balance_difference")).max() < 1e-9


def test_what_is_put_off_of_a_lease_bears_its_rate_and_is_caught_up():
    """Two payments of 1,000 put off at 1 % a month and caught up at once, worked by hand month by month."""
    late = {"one_off": {"2026-05": 1000, "2026-06": 1000}}
    plan = lease_of(put_off=late, caught_up={"one_off": {"2026-08": 2000}})
    liability, interest, repaid, asset = parts(plan, "liability", "interest", "repaid", "asset")
    payments = [1000, 1000, 0, 0, 1000, 3000, 1000, 1000, 1000, 1000, 1000]
    owed = -float(npf.pv(0.01, 12, 1000))
    for place, paid in enumerate(payments, start=2):
        owed = owed * 1.01 - paid
        assert (interest + repaid)[place] == pytest.approx(paid)
        assert liability[place] == pytest.approx(owed)
    # the interest of the months put off is all that is left for the last payment
    assert (interest + repaid)[13] == pytest.approx(owed * 1.01)
    assert liability[13] == pytest.approx(0, abs=1e-9)
    assert asset.tolist() == pytest.approx(parts(lease_of(), "asset")[0].tolist())
    assert np.abs(evaluate(plan).values("balance_difference")).max() < 1e-9


def test_a_lease_kept_as_an_expense_is_charged_and_paid():
    plan = lease_of(treatment="expense")
    assert series(plan, "premises_costs")[1:4] == [0, 1000, 1000]
    assert series(plan, "supplier_payments")[2] == 1600
    assert "it_liability" not in plan.model.line_by_name
    with pytest.raises(InvalidModel, match="give one of them"):
        company(schedule("lease", opening_liability=5))


def test_loan_registers_are_settled_by_nobody_else():
    plan = company(schedule("loan"), lines=(given("fees", 5, posts_to="interest_expense"),))
    assert series(plan, "interest_paid")[0] == 5
