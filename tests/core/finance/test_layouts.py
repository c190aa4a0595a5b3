"""Layouts show the same figures; rows of one's own stand within captions; every line says when it is paid."""

from dataclasses import replace

import numpy as np
import pytest

from tests.core.finance.sample import bare, schedule
from tests.kit.small import calculated, company, given, series
from widefork.core.analysis.compare import evaluate_cases
from widefork.core.errors import InvalidModel
from widefork.core.finance.checks import Checked, limit_tests
from widefork.core.finance.statements import CAPTION_BY_NAME, LAYOUTS, RATIOS, Statement
from widefork.core.finance.when_paid import payments, posts_nowhere
from widefork.core.graph.model import Limit, OwnRow, StatementSettings


def _checked(plan):
    return Checked(evaluate_cases(plan, [case.name for case in plan.model.cases]))


PARTS = {Statement.CASH_FLOW: "net_cash_flow", Statement.RECEIPTS: "net_cash_flow", Statement.INCOME: "net_profit"}


@pytest.mark.parametrize("layout", LAYOUTS.names)
@pytest.mark.parametrize("statement", PARTS)
def test_the_rows_of_a_layout_add_up_to_its_end(layout, statement):
    plan = company(
        schedule("loan"), schedule("income_tax", "state"), schedule("lease", "car"), schedule("fixed_assets", "kit"),
        schedule("payroll", "staff", support=0.1), schedule("grant", "aid"), schedule("overdraft", "bank"),
        lines=(given("fees", 30, posts_to="interest_income"),), opening_balances={"cash": 900, "share_capital": 900},
    )  # fmt: skip
    names = LAYOUTS[layout].rows[statement]
    parts = [CAPTION_BY_NAME[name] for name in names if CAPTION_BY_NAME[name].emphasis == "part" or name == "revenue"]
    added = [sum((-1 if part.subtracts else 1) * series(plan, part.name)[m] for part in parts) for m in range(24)]
    assert added == pytest.approx(series(plan, PARTS[statement]), abs=1e-6)


def test_a_row_of_ones_own_is_part_of_its_caption():
    rows = StatementSettings(rows=(OwnRow("research", "Research", "administration_costs"),))
    trials = given("trials", 70, unit="EUR", posts_to="research")
    plan = company(lines=(trials, given("audit", 5, unit="EUR", posts_to="administration_costs")), statements=rows)
    assert series(plan, "research") == [70] * 24
    assert series(plan, "administration_costs") == [75] * 24
    assert series(plan, "supplier_payments") == [675] * 24
    assert series(plan, "methods_difference") == [0] * 24


@pytest.mark.parametrize(
    ("statements", "words"),
    [
        (StatementSettings("sideways"), "There is no layout"),
        (StatementSettings(rows=(OwnRow("research", "R", "loans"),)), "no caption for a row"),
        (StatementSettings(rows=(OwnRow("revenue", "R", "revenue"),)), "that no caption has"),
    ],
)
def test_an_arrangement_that_cannot_be_is_refused(statements, words):
    with pytest.raises(InvalidModel, match=words):
        company(statements=statements)


def test_captions_take_other_names():
    plan = company(statements=StatementSettings(labels={"people_costs": "Team"}))
    assert plan.model.line("people_costs").label == "Team"


def test_ratios_follow_their_formula_and_give_way_to_a_line_of_the_same_name():
    plan = company(schedule("receivables", days=45), lines=(given("net_margin", 0.5, unit="%"),))
    assert series(plan, "gross_margin")[0] == pytest.approx(0.4)
    assert series(plan, "net_margin") == [0.5] * 24
    assert series(plan, "days_receivable")[5] == pytest.approx(45)
    assert {ratio.name for ratio in RATIOS} <= set(plan.model.line_by_name)


def test_every_line_says_when_it_is_paid():
    rent = given("rent", 5, unit="EUR", posts_to="premises_costs")
    fees = given("fees", 5, unit="EUR")
    kinds = (schedule("receivables"), schedule("inventory", "stock"), bare("prepaid_billing", "ahead", of=["fees"]),
             schedule("payables", "bills", days=30))  # fmt: skip
    plan = company(*kinds, lines=(rent, fees))
    words = {payment.line: (payment.words, payment.is_receipt) for payment in payments(_stored(plan))}
    assert words == {
        "sales": ("47 days after the invoice", True),
        "costs": ("bought for Stock, paid 30 days after the invoice", False),
        "rent": ("in the month", False),
        "fees": ("in the month", True),
    }


def _stored(plan):
    from dataclasses import replace

    model = plan.model
    own = tuple(line for line in model.lines if not line.is_generated)
    return replace(model, lines=own, sections=model.sections[:1])


def test_what_posts_nowhere_is_listed_and_readings_are_not():
    plan = company(lines=(
        given("forgotten", 9, unit="EUR"), calculated("double", "2 * forgotten", unit="EUR"),
        given("price", 3, unit="EUR/kit"), calculated("reading", "running_total(net_profit)", unit="EUR"),
    ))  # fmt: skip
    assert posts_nowhere(plan) == ("forgotten", "double")


def test_days_leave_sales_tax_and_wages_out():
    # constructed: 1,000 sold and 600 bought a month with 20 % tax, and wages; 45 and 30 days
    pay = given("pay", 400, unit="EUR", posts_to="cost_of_sales")
    tax = schedule("sales_tax", "vat", rate=0.2, on_sales=["sales"], on_purchases=["costs"])
    plan = company(
        schedule("receivables", days=45), bare("payables", "bills", of=["costs"], days=30), tax,
        bare("payroll", "staff", of=["pay"], charge_rate=0.2), lines=(pay,),
    )  # fmt: skip
    assert series(plan, "receivables")[6] == pytest.approx(1800)
    assert series(plan, "days_receivable")[6] == pytest.approx(45)
    assert series(plan, "payables")[6] == pytest.approx(720)
    assert series(plan, "staff_payments")[6] > 0
    assert series(plan, "days_payable")[6] == pytest.approx(30)


def test_stock_is_measured_by_what_is_taken_from_it():
    wages = given("wages", 400, unit="EUR", posts_to="cost_of_sales")
    plan = company(bare("inventory", "stock", of=["costs"], days=15), lines=(wages,))
    assert series(plan, "taken_from_stock")[6] == pytest.approx(600)
    assert series(plan, "days_inventory")[6] == pytest.approx(15)


def test_debt_over_no_earnings_is_no_number_and_is_judged_by_the_debt():
    limit = Limit("leverage", "Leverage", "net_debt_to_ebitda", most=3, is_covenant=True)
    losing = {"sales": 100, "costs": 600, "limits": (limit,), "months": 12}
    owing = company(schedule("loan", "debt", amount=9000, drawn_in="2026-01", rate=0), **losing)
    assert np.isnan(series(owing, "net_debt_to_ebitda")).all()
    tests = limit_tests(_checked(owing), limit, 0)
    assert [test.holds for test in tests] == [value <= 0 for value in series(owing, "net_debt")]
    rich = company(opening_balances={"cash": 50000, "share_capital": 50000}, **losing)
    assert all(test.holds and np.isnan(test.value) for test in limit_tests(_checked(rich), limit, 0))
    least = replace(limit, most=None, least=0.5)
    assert not any(test.holds for test in limit_tests(_checked(rich), least, 0))


def test_cover_in_cash_counts_working_capital_and_investment():
    plan = company(
        schedule("receivables", days=30), schedule("loan", "debt", amount=1200, drawn_in="2026-01"), months=12
    )
    names = (
        "operating_cash_flow", "interest_paid", "investing_cash_flow", "debt_service", "ebitda", "income_tax_paid",
    )  # fmt: skip
    parts = {name: np.cumsum(series(plan, name)) for name in names}
    paid = parts["debt_service"] > 0
    in_cash = (parts["operating_cash_flow"] + parts["interest_paid"] + parts["investing_cash_flow"])[paid]
    covered = np.array(series(plan, "debt_service_cover_in_cash"))[paid]
    assert covered == pytest.approx(in_cash / parts["debt_service"][paid])
    assert in_cash[-1] < parts["ebitda"][-1]  # a month of sales is not collected yet


@pytest.mark.parametrize("ratio", RATIOS, ids=lambda ratio: ratio.name)
def test_every_ratio_says_what_it_means_and_where_that_is_from(ratio):
    assert ratio.meaning.endswith(".")
    assert ratio.source
    assert not ratio.judged_by or "not meaningful" in ratio.meaning
