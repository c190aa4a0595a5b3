"""Twenty figures on the screens beside what plain Python makes of the demo's file: pages, cases, grains and odd lenses.

``tests/demo/by_hand.py`` works the company out month by month; the sums, ends, means and shares over a period are taken
here, with no code of the product.
"""

import re

import pytest

from tests.demo.test_recomputed import CASES, by_hand
from widefork.core.analysis.compare import evaluate_cases

FY26, FY27, FY28 = slice(0, 12), slice(12, 24), slice(24, 36)
REGIONS = ("Coast", "Valley", "Upland")


@pytest.fixture(scope="module")
def worked(demo_plan):
    """Every case's months, by line, or by line and member."""
    results = evaluate_cases(demo_plan, CASES)
    return {case: by_hand(demo_plan, results, place) for place, case in enumerate(CASES)}


def quarter(year, number):
    first = (year - 2026) * 12 + 3 * (number - 1)
    return slice(first, first + 3)


def over(v, line, months, members=REGIONS):
    return sum(sum(v[line, member][months]) for member in members)


ODD, SHORT, WHOLE = "from=2026-04&to=2027-06", "from=2026-11&to=2027-02", "from=2026-01&to=2028-12"
FIGURES = [
    ("statements?show=income&by=year", ODD, "base", "s-revenue-FY2026", lambda v: sum(v["revenue"][FY26])),
    ("statements?show=income&by=year", SHORT, "best", "s-ebitda-FY2027", lambda v: sum(v["ebitda"][FY27])),
    ("statements?show=income&by=quarter", ODD, "worst", "s-ebitda-2027Q1",
     lambda v: sum(v["ebitda"][quarter(2027, 1)])),
    ("statements?show=income&by=year", WHOLE, "worst_met", "s-net_profit-FY2028", lambda v: sum(v["net_profit"][FY28])),
    ("statements?show=cash_flow&by=year", SHORT, "worst", "s-operating_cash_flow-FY2026",
     lambda v: sum(v["operating_cash_flow"][FY26])),
    ("statements?show=balance&by=year", ODD, "worst", "s-cash-FY2027", lambda v: v["cash"][23]),
    ("statements?show=balance&by=quarter", SHORT, "best", "s-receivables-2026Q4", lambda v: v["receivables"][11]),
    ("statements?show=balance&by=quarter", WHOLE, "worst_met", "s-other_liabilities-2027Q2",
     lambda v: v["other_liabilities"][17]),
    ("drivers?by=year", ODD, "best", "c-kits_ordered--FY2027", lambda v: over(v, "kits_ordered", FY27)),
    ("drivers?by=quarter", ODD, "base", "c-kit_price--2027Q2",
     lambda v: over(v, "kit_revenue", quarter(2027, 2)) / over(v, "kits_sold", quarter(2027, 2))),
    ("drivers?by=year", SHORT, "worst", "c-panel_fee--FY2027",
     lambda v: sum(v["panel_revenue"][FY27]) / sum(v["panels_done"][FY27])),
    ("drivers?by=year", WHOLE, "worst", "c-panel_contracts--FY2028", lambda v: v["panel_contracts"][35]),
    ("drivers?by=quarter", WHOLE, "worst", "c-overtime--2027Q2", lambda v: sum(v["overtime"][quarter(2027, 2)])),
    ("drivers?by=quarter", ODD, "best", "c-second_lab_cost--2027Q2",
     lambda v: sum(v["second_lab_cost"][quarter(2027, 2)])),
    ("drivers?by=year", ODD, "worst", "c-kit_materials_price--FY2026",
     lambda v: over(v, "kit_materials", FY26) / over(v, "kits_tested", FY26)),
    ("waterline?by=year", WHOLE, "worst", "s-headroom-FY2027", lambda v: min(v["headroom"][FY27])),
    ("waterline?by=quarter", ODD, "worst_met", "s-customer_receipts-2027Q1",
     lambda v: sum(v["customer_receipts"][quarter(2027, 1)])),
    ("terms?open=kit_customers&by=year", ODD, "worst", "s-kit_customers_balance-FY2026",
     lambda v: v["kit_customers_balance"][11]),
    ("terms?open=suppliers&by=quarter", SHORT, "worst_met", "s-suppliers_paid-2027Q1",
     lambda v: sum(v["suppliers_paid"][quarter(2027, 1)])),
    ("statements?show=income", SHORT, "base", "s-gross_profit-2027-01", lambda v: v["gross_profit"][12]),
]  # fmt: skip


@pytest.mark.parametrize(("page", "lens", "case", "cell", "work"), FIGURES, ids=[figure[3] for figure in FIGURES])
def test_a_figure_on_a_screen_is_the_one_worked_out_by_hand(client, worked, page, lens, case, cell, work):
    text = client.get(f"/m/1/{page}&{lens}&case={case}").text
    found = re.search(rf'<td[^>]* id="{re.escape(cell)}"[^>]*>(.*?)</td>', text, re.S)
    assert found, cell
    shown = re.sub(r"<[^>]+>", "", found[1]).strip().replace(",", "").replace("−", "-")
    decimals = len(shown.partition(".")[2])
    assert float(shown) == pytest.approx(work(worked[case]), abs=0.5000001 * 10**-decimals)


def test_sentences_say_what_is_worked_out_by_hand(client, worked):
    """Lookout, Compare and Waterline, in words."""
    lookout = client.get("/m/1/lookout").text
    for case in CASES:
        assert f"{sum(worked[case]['revenue'][FY27]):,.0f}" in lookout
    profit = worked["best"]["net_profit"]
    first = next(month for month in range(6, 36) if profit[month] >= 0)
    assert first == 15
    assert re.search(r"First month in profit: <a [^>]*case=best[^>]*>Apr 27</a>", lookout)
    compare = client.get("/m/1/compare").text
    assert f"{worked['worst_met']['cash_after_overdraft'][23]:,.0f}" in compare
    short = -min(worked["worst"]["headroom"])
    assert (
        f"Worst needs {-(-short // 1000) * 1000:,.0f} EUR from Apr 27" in client.get("/m/1/waterline?case=worst").text
    )
