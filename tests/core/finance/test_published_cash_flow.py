"""The cash flow's own formulas on a published example: both methods, both layouts.

Source: IAS 7 Statement of Cash Flows, Illustrative Examples, Example A (text before the IFRS 18 amendments), from
memory; every subtotal was recomputed from its balance sheets. Balances are taken net of the subsidiary acquired, and
the unrealised exchange loss stands where other results without cash stand.
"""

import pytest

from tests.kit.small import given, model_of
from widefork.core.engine import evaluate
from widefork.core.finance.statements import CAPTIONS
from widefork.core.graph.plan import compile_model
from widefork.core.lines import BALANCE, Line

# (20X1 with what was acquired, 20X2); the year is one month here.
BALANCES = {
    "receivables": (1200 + 100, 1900 - 100),  # 100 of interest receivable stands under investing
    "inventory": (1950 + 100, 1000),
    "payables": (1890 + 100, 250),
    "tax_payable": (1000, 400),
    "cash": (120, 230),
}
FLOWS = {
    "revenue": 30650, "cost_of_sales": 26000, "administration_costs": 910, "depreciation": 450, "interest_income": 500,
    "interest_expense": 400, "income_tax": 300, "disposal_result": -40,
    # interest owed rose by 130 over the year: 270 of 400 was paid
    "interest_capitalised": 130,
}  # fmt: skip
PUBLISHED = {"acquired": 550, "capital_expenditure": 350, "disposal_proceeds": 20, "received": 400}
FINANCED = {"share_issue": 250, "loan_drawdowns": 250, "lease_repayments": 90, "dividends": 1200}


@pytest.fixture(scope="module")
def year():
    given_lines, known = [], {**FLOWS, **{k: v for k, v in {**PUBLISHED, **FINANCED}.items() if k != "acquired"}}
    for caption in CAPTIONS:
        if caption.name in BALANCES:
            opening, closing = BALANCES[caption.name]
            given_lines.append(given(caption.name, closing, history=(opening,), unit="EUR"))
        elif caption.name in known:
            given_lines.append(given(caption.name, known[caption.name], unit="EUR"))
        elif caption.formula:
            rollup = {"rollup": BALANCE} if caption.is_balance else {}
            given_lines.append(Line(caption.name, "", "EUR", section="all", formula=caption.formula, **rollup))
        else:
            given_lines.append(given(caption.name, 0, unit="EUR"))
    return evaluate(compile_model(model_of(*given_lines, months=1)))


def test_the_income_statement(year):
    assert year.series("gross_profit")[0] == 4650
    assert year.series("profit_before_tax")[0] == 3350
    assert year.series("net_profit")[0] == 3050


def test_operations_from_operating_profit(year):
    # 2,550 generated from operations, 900 of tax paid: by category, interest stands elsewhere
    assert year.series("income_tax_paid")[0] == 900
    assert year.series("operating_category_cash")[0] + year.series("income_tax_paid")[0] == 2550
    assert year.series("receivables_released")[0] == -500
    assert year.series("inventory_released")[0] == 1050
    assert year.series("payables_added")[0] == -1740


def test_operations_with_interest_are_the_same_figures(year):
    # published: 1,380, with interest paid 270 under operations and what was received under investing
    assert year.series("interest_paid")[0] == 270
    classic, received = year.series("operating_cash_flow")[0], year.series("interest_received")[0]
    assert classic - received == 1380
    assert year.series("operating_category_cash")[0] - year.series("interest_paid")[0] == 1380


def test_investing_and_financing(year):
    # published: -480 invested (550 for the subsidiary beside these), -790 financed, 110 in all
    invested = year.series("investing_cash_flow")[0] + PUBLISHED["received"] - PUBLISHED["acquired"]
    assert invested == -480
    assert year.series("financing_before_overdraft")[0] == -790
    assert 1380 + invested + year.series("financing_before_overdraft")[0] == 110
    assert BALANCES["cash"][1] - BALANCES["cash"][0] == 110


def test_both_layouts_move_cash_alike(year):
    by_category = sum(year.series(f"{part}_category_cash")[0] for part in ("operating", "investing", "financing"))
    assert by_category == pytest.approx(year.series("net_cash_flow")[0])
