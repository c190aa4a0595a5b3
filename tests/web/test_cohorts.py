"""Any line by who came in when: chosen, folded, in sight of its roots, in every case and grain."""

import re

import pytest
from playwright.sync_api import expect

from tests.kit.small import calculated, given, model_of
from widefork.core.lines import BALANCE
from widefork.web.shared import formats


def table(page):
    """The triangle's rows as texts, a list of cells each."""
    rows = re.search(r"<tbody>(.*?)</tbody>", page, re.S)[1].split("<tr")[1:]
    return [[re.sub("<[^>]+>", "", cell).strip() for cell in re.findall(r"<td.*?</td>", row, re.S)] for row in rows]


def number(text):
    return float(text.replace(",", "").replace("−", "-").replace("–", "0") or 0)


@pytest.mark.parametrize("query", [
    "", "flow=watchpoint_joined&by=quarter&case=worst", "flow=watchpoint_joined&of=cash&by=year&to=2028-12",
    "flow=hired&of=no_line", "flow=no_line&of=revenue", "flow=staff_hires&fold=yes", "of=watchpoint_churn",
    "from=2026-01&to=2026-04&flow=watchpoint_joined",
])  # fmt: skip
def test_everything_can_be_shown(client, query):
    assert client.get(f"/m/1/cohorts?{query}").status_code == 200


def test_rows_fold_into_the_line(client):
    query = "flow=watchpoint_joined&of=revenue&by=quarter&from=2026-07&to=2028-12"
    *cohorts, together, without, total = table(client.get(f"/m/1/cohorts?{query}").text)
    assert (cohorts[0][0], together[0], without[0], total[0]) == ("Q4 26", "all who came in", "without them", "Revenue")
    for place in range(2, len(total)):
        assert sum(number(row[place]) for row in cohorts) == pytest.approx(number(together[place]), abs=len(cohorts))
        assert number(together[place]) + number(without[place]) == pytest.approx(number(total[place]), abs=2)
    folded = table(client.get(f"/m/1/cohorts?{query}&fold=yes").text)
    assert folded == [together, without, total]


def test_a_model_nobody_comes_into_says_what_to_do(client):
    client.post("/models/new", data={"name": "Bare", "currency": "EUR", "start": "Jan 27", "months": "12",
                                     "fiscal_year_start": "1", "last_actual": "", "dimensions": ""})  # fmt: skip
    page = client.get("/m/2/cohorts").text
    assert "Nobody comes in here yet" in page
    assert "pattern=subscription" in page


def test_a_line_without_values_says_so(app, client):
    lines = (
        given("joined", 5, unit="customers"), given("nothing", 0, unit="customers"),
        calculated("customers", "before(customers) + joined", unit="customers", rollup=BALANCE),
        calculated("fee_each", "customers / nothing * 3", unit="EUR"),
    )  # fmt: skip
    model_id = app.extensions["workspace"].store.create(model_of(*lines))
    rows = table(client.get(f"/m/{model_id}/cohorts?flow=joined&of=fee_each").text)
    assert rows[0][2:5] == [formats.cell(float("nan"), "EUR")] * 3


def test_months_before_anybody_comes_say_so(client):
    asked = "/m/1/cohorts?flow=watchpoint_joined"
    page = client.get(f"{asked}&from=2026-07&to=2026-08").text
    assert "Nobody comes in by Watchpoint: joined, paying from Jul 26 to Aug 26." in page
    history = client.get(f"{asked}&from=2026-01&to=2026-05").text
    assert "Cohorts begin with the plan, in Jul 26; all in view here is history." in history


def test_from_roots_to_cohorts_and_back(page, address):
    page.goto(f"{address}/m/1/roots?line=watchpoint_customers&start=2027-06&end=2027-06")
    page.get_by_role("link", name="By who came in when").click()
    expect(page.get_by_label("Measured in")).to_have_value("watchpoint_customers")
    page.get_by_role("link", name="joined, paying").click()
    page.wait_for_load_state()
    page.get_by_label("Measured in").select_option("watchpoint_revenue")
    expect(page.locator("#cohorts thead")).to_contain_text("sum")
    expect(page.locator("#cohorts tbody")).to_contain_text("Watchpoint: revenue")
    page.get_by_role("link", name="Fold away the cohorts").click()
    expect(page.locator("#cohorts tbody tr")).to_have_count(3)
    page.get_by_role("link", name="roots of Watchpoint").click()
    expect(page.get_by_role("heading", name="Roots")).to_be_visible()
