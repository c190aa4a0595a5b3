"""Compare: up to six sides by figure, line and statement, drawn in several shapes; and why two cases differ."""

import re
from dataclasses import replace

import pytest
from playwright.sync_api import expect

from tests.kit.desk import demo_model
from widefork.core.analysis.bridge import bridge, causes_between
from widefork.core.changes import Case
from widefork.core.engine import evaluate
from widefork.store import edits

YEARS = "by=year&from=2026-01&to=2028-12"


@pytest.fixture
def client(client):
    return client.begin("compare", message_at="figure")


def table(page):
    """Rows of the table: what stands in front, and its cells."""
    body = page[page.index('id="figures"') :]
    body = re.sub(r'<svg class="apart".*?</svg>', "", body[: body.index("</table>")], flags=re.DOTALL)
    rows = re.findall(r"<tr[^>]*>(.*?)</tr>", body, flags=re.DOTALL)
    return [
        [re.sub(r"<[^>]+>", "", cell).strip() for cell in re.findall(r"<t[hd].*?</t[hd]>", row, re.DOTALL)]
        for row in rows
    ]


def row_of(page, label, period=None):
    rows = table(page)
    return next(row for row in rows if row[0] == label and (period is None or row[1] == period))


def values(client, line, *cases):
    plan = client.plan()
    results = evaluate(plan, [plan.model.changes_of(case) for case in cases], [line])
    return [results.series(line, (), place) for place in range(len(cases))]


def test_figures_and_lines_by_year_stand_beside_one_another(client):
    page = client.read(f"?{YEARS}&case=worst")
    assert [cell for cell in table(page)[0] if cell][1:] == ["Base", "Best", "Worst", "Met early"]
    revenue = values(client, "revenue", "base", "best", "worst", "worst_met")
    assert row_of(page, "Revenue", "FY27")[2:6] == [f"{months[12:24].sum():,.0f}" for months in revenue]
    assert row_of(page, "FY27 revenue")[1:5] == row_of(page, "Revenue", "FY27")[2:6]
    cash = values(client, "cash_after_overdraft", "worst")[0]
    assert row_of(page, "Lowest cash")[3] == f"Jul 27: {cash[6:].min():,.0f}".replace("-", "−")


def test_differences_and_per_cents_are_taken_to_any_side(client):
    base, worst = (months[12:24].sum() for months in values(client, "revenue", "base", "worst"))
    page = client.read(f"?{YEARS}&mode=apart&against=case:worst")
    assert row_of(page, "Revenue", "FY27")[2:4] == [f"{worst:,.0f}", f"+{base - worst:,.0f}"]
    page = client.read(f"?{YEARS}&mode=percent&with=case:base&with=case:worst")
    assert row_of(page, "Revenue", "FY27")[3] == f"{(worst / base - 1) * 100:+.1f} %".replace("-", "−")
    assert row_of(page, "EBITDA", "FY26")[3] == "n/a"  # of a loss, per cent says nothing
    assert row_of(page, "First month in profit")[2] == "1 month later"


def test_the_year_before_a_seal_and_another_model_are_sides_too(client):
    client.workspace.seal(client.store.load(1), "Ines", "Board")
    other = client.store.create(replace(demo_model(), name="Copy"))
    query = f"?{YEARS}&with=case:base&with=last_year&with=seal:1&with=model:{other}"
    page = client.read(query)
    base = values(client, "revenue", "base")[0]
    now = [f"{base[12 * n : 12 * n + 12].sum():,.0f}" for n in range(3)]
    assert row_of(page, "Revenue", "FY27")[2:6] == [now[1], now[0], now[1], now[1]]
    assert row_of(page, "Revenue", "FY26")[3] == "n/a"
    assert "Base, year before does not reach FY26" in page
    assert "Board: Base" in page
    assert "Copy: Base" in page
    assert row_of(page, "Lowest cash")[2] == "n/a"  # asks of the plan as a whole


def test_what_is_not_there_and_what_is_too_much_is_said(client):
    page = client.read("?with=case:base&with=case:wurst&with=seal:9&with=model:77&with=odd")
    for said in ("wurst", "seal:9", "model:77", "odd"):
        assert re.search(rf'class="fault"[^>]*>[^<]*{said}', page)
    assert "1 side" in page
    for number in range(5):
        client.store.edit(1, "Ines", client.revision(), add(Case(f"c{number}", f"Case {number}", "base")))
    many = "&".join(f"with=case:{case.name}" for case in client.model().cases)
    page = client.read(f"?{many}")
    assert "At most 6 stand side by side; the other 3 are left out." in page
    assert "6 sides" in client.read("")


def add(case):
    return edits.add_case(case, case.label)


@pytest.mark.parametrize("shown", ["income", "cash_flow", "receipts", "balance"])
def test_statements_stand_side_by_side(client, shown):
    page = client.read(f"?{YEARS}&shown={shown}&with=case:base&with=case:worst")
    name, line = {"income": ("EBITDA", "ebitda"), "cash_flow": ("Cash from operations", "operating_cash_flow"),
                  "receipts": ("Received from customers", "customer_receipts"),
                  "balance": ("Total assets", "total_assets")}[shown]  # fmt: skip
    assert [cell for cell in table(page)[0] if cell] == ["FY26", "FY27", "FY28"]
    for place, months in enumerate(values(client, line, "base", "worst")):
        year = months[23] if shown == "balance" else months[12:24].sum()
        assert row_of(page, name)[1 + 2 + place] == f"{year:,.0f}".replace("-", "−")  # FY27 behind FY26's two


def test_a_line_is_drawn_indexed_summed_and_small(client):
    months = values(client, "revenue", "base")[0]
    page = client.read(f"?{YEARS}&line=revenue&shape=indexed")
    assert "each as per cent of its own first month in view" in page
    assert f"Base {months[-1] / months[0] * 100:,.1f}" in page or f"Base {months[-1] / months[0] * 100:,.2f}" in page
    page = client.read(f"?{YEARS}&line=revenue&shape=total")
    assert f"Base {months.sum():,.0f}" in page
    page = client.read(f"?{YEARS}&line=cash_after_overdraft&shape=total")
    assert "is no amount by month, so it has no running total" in page
    page = client.read(f"?{YEARS}&line=bridge_loan_balance&shape=indexed")
    assert "Nothing to index by" in page
    page = client.read(f"?{YEARS}&shape=small&with=case:base&with=case:worst&row=revenue&row=ebitda")
    assert len(re.findall(r'aria-label="[^"]+ at the end"', page)) == 2 * 2


def why(client, query=""):
    return client.read(f"/why?{query}")


def test_causes_add_up_and_each_opens_its_change(client):
    client.begin("compare")
    page = why(client, "explain=worst&from_case=base&of=ebitda_2027")
    plan = client.plan()
    found = bridge(plan, causes_between(plan.model, "base", "worst"), plan.model.figure("ebitda_2027"))
    text = re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", page))
    assert f"Worst is {abs(found.end - found.start):,.0f} lower than Base in FY27 EBITDA" in text
    for step in found.steps:
        if step.amount:
            assert f"{step.amount:+,.0f}".replace("-", "−") in text
    assert "does nothing" in text  # paying later moves no EBITDA
    links = re.findall(r'data-cause="([^"]+)".*?<a data-visit href="([^"]+)"', page, re.DOTALL)
    assert len(links) == len(found.steps)
    for key, link in links:
        there = client.get(link.replace("&amp;", "&"))
        assert there.status_code == 200
        assert 'id="strip"' in there.text, key


def test_causes_are_grouped_walked_and_told_in_words(client):
    sections = why(client, "explain=worst&from_case=base&of=lowest_cash&grouped=section")
    assert "Well kits" in sections
    assert "2 causes" in sections
    order = "line:panels_wanted,line:kits_ordered"
    walked = why(client, f"explain=worst&from_case=base&of=lowest_cash&walk={order}")
    assert "Taken one after another" in walked
    plan = client.plan()
    first = [c for c in plan.model.case("worst").changes if c.line == "panels_wanted"][:1]
    lowest = evaluate(plan, [plan.model.changes_of("base"), (*plan.model.changes_of("base"), *first)])
    cash = [lowest.series("cash_after_overdraft", (), n)[6:].min() for n in range(2)]
    assert f"{cash[1] - cash[0]:+,.0f}".replace("-", "−") in walked
    assert "take it earlier" in walked
    words = re.search(r'id="why-words">([^<]+)<', why(client, "explain=worst&from_case=base&of=lowest_cash"))[1]
    assert words.startswith("Worst is 564,812 lower than Base in Lowest cash: −257,305 against 307,508.")
    assert "Panels wanted (accreditation lapses)" in words


def test_the_lines_that_carry_it_add_up_to_it(client):
    page = why(client, "explain=worst&from_case=base&of=lowest_cash")
    carried = page[page.index('class="carried"') : page.index("</table>", page.index('class="carried"'))]
    amounts = [float(text.replace("−", "-").replace(",", "")) for text in re.findall(r"<td>([+−][\d,]+)</td>", carried)]
    cash = values(client, "cash_after_overdraft", "base", "worst")
    assert sum(amounts) == pytest.approx(cash[1][6:].min() - cash[0][6:].min(), abs=len(amounts))
    assert "Base up to Apr 27, Worst up to Jul 27" in page


def test_what_cannot_be_explained_says_why(client):
    page = why(client, "explain=worst&from_case=base&of=break_even")
    assert "has no answer" in page
    client.store.edit(1, "Ines", client.revision(), add(Case("same", "Same", "base")))
    assert "Same and Base do the same" in why(client, "explain=same&from_case=base&of=lowest_cash")
    assert "Waits" not in why(client, "explain=nobody&from_case=nowhere&of=odd&grouped=odd&walk=odd")
    back = why(client, "explain=base&from_case=worst&of=lowest_cash")
    assert "Base is 564,812 higher than Worst" in back


def test_compared_and_explained_in_the_browser(page, address):
    page.goto(f"{address}/m/1/compare?case=worst&by=year")
    expect(page.locator("#bridge")).to_contain_text("Panels wanted")
    page.get_by_role("link", name="by section").click()
    expect(page.locator("#bridge")).to_contain_text("Well kits")
    page.locator("select[name=line]").first.select_option("revenue")
    expect(page.locator(".compare-chart")).to_contain_text("by month")
    page.locator("#choose-sides").click()
    page.get_by_role("checkbox", name="Best").uncheck()
    page.get_by_role("button", name="Compare these").click()
    expect(page.locator("#choose-sides")).to_have_text("3 sides")
    page.locator("select[name=of]").select_option("ebitda_2027")
    page.get_by_role("link", name="each by itself").click()
    link = page.locator("#bridge a", has_text="Contracts")
    link.focus()
    page.keyboard.press("Enter")
    expect(page.locator("#strip")).to_contain_text("Contracts")
