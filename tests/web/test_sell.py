"""Add what you sell: questions, a preview that touches nothing, lines written as one edit, and taken away again."""

import re

import pytest
from playwright.sync_api import expect

from widefork.core.engine import evaluate
from widefork.core.finance.assemble import build_plan
from widefork.core.finance.schedules import SettingKind
from widefork.core.finance.statements import CHECKS
from widefork.core.patterns import PATTERNS
from widefork.store.edits import add_section
from widefork.web.shared.settings import setting_text


@pytest.fixture
def client(client):
    return client.begin("sell")


def answers_of(name):
    """A pattern's example as somebody would type it."""
    pattern = PATTERNS[name]
    typed = {}
    for key, value in {**pattern.example, **IN_THE_DEMO.get(name, {})}.items():
        question = pattern.question(key)
        typed |= typed_rows(question, value) if question.columns else {key: text_of(question, value)}
    return {"pattern": name, "label": "It sells", **typed}


DRIVERS = {"customers": "watchpoint_customers", "heads": "headcount", "fees": "revenue"}
IN_THE_DEMO = {
    "customer_metrics": {
        "customers": "panel_contracts", "joined": "panels_done", "left": "panels_wanted", "revenue": "kit_revenue",
        "spend": "marketing", "heads": "headcount",
    },
    "outgoings": {"costs": [
        {**cost, "driver": DRIVERS[cost["driver"]]} if "driver" in cost else cost
        for cost in PATTERNS["outgoings"].example["costs"]
    ]},
}  # fmt: skip
"""Answers that name lines, for the demo company."""


def text_of(question, value):
    return str(value) if question.kind is SettingKind.LINE else setting_text(question, value, money(question))


def money(question):
    return question.unit.replace("CUR", "EUR")


def typed_rows(question, rows):
    """Rows as their table sends them."""
    typed = {}
    for place, row in enumerate(rows):
        typed[f"{question.key}.{place}.name"] = row["name"]
        for column in question.columns:
            if column.key in row:
                typed[f"{question.key}.{place}.{column.key}"] = text_of(column, row[column.key])
    return typed


@pytest.mark.parametrize("name", PATTERNS.names)
def test_every_pattern_is_asked_previewed_written_and_taken_away_again(client, name):
    page = client.get(f"/m/1/sell?pattern={name}").text
    assert all(question.label in page.replace("&#39;", "'") for question in PATTERNS[name].questions)
    before = client.model()
    shown = client.send("preview", **answers_of(name)).text
    assert "would be written" in shown, shown
    assert client.model() == before
    reply = client.send("write", **answers_of(name))
    assert reply.status_code == 303, reply.text
    assert reply.location.endswith("#section-it_sells")
    after = client.model()
    results = evaluate(build_plan(after))
    assert all(abs(results.values(check)).max() < 1e-6 for check in CHECKS)
    assert next(s for s in after.sections if s.name == "it_sells").note.startswith("from ")
    assert "Remove It sells" in client.get("/m/1/sell").text
    assert client.send("remove", section="it_sells").status_code == 303
    assert client.model() == before


def test_a_pattern_may_read_a_line_that_is_there_by_its_label(client):
    answers = {**answers_of("per_use"), "users": "Contracts"}
    assert client.send("write", **answers).status_code == 303
    written = client.model().line("it_sells_users")
    assert written.formula == "panel_contracts * it_sells_users_each"
    assert not client.plan().warnings.get("it_sells_users")


def test_an_answer_may_be_a_share_of_a_line(client):
    answers = {**answers_of("per_use"), "users": "12 % of Contracts"}
    assert client.send("write", **answers).status_code == 303
    plan = client.plan()
    results = evaluate(plan)
    assert results.series("it_sells_users") == pytest.approx(0.12 * results.series("panel_contracts"))
    refused = client.send("preview", **{**answers, "users": "12 % of nothing here"})
    assert "“nothing here” is no line here, of which 12 % could be taken" in refused.text


def test_a_pattern_may_read_one_member_of_a_line(client):
    answers = {
        **answers_of("sales_team"),
        "sellers": "Team plan: ramped, in full time at account managers",
        "hired": "0",
    }
    assert client.send("write", **answers).status_code == 303
    formula = client.model().line("it_sells_sellers").formula
    assert formula == 'staff_ramped at "Account managers" * it_sells_sellers_each'
    page = client.get("/m/1/sell?pattern=sales_team").text
    assert '<option value="Team plan: ramped, in full time at Account managers">' in page
    refused = client.send("preview", **{**answers, "sellers": "Team plan: ramped, in full time at the sea"})
    assert "is no rule" in refused.text


def test_two_of_a_kind_live_side_by_side_and_one_undo_takes_one_back(client):
    client.send("write", **answers_of("units"))
    once = client.model()
    again = client.send("write", **answers_of("units"))
    assert "There is already a section called It sells. Give this one another name." in again.text
    assert client.model() == once
    client.send("write", **answers_of("units") | {"label": "It sells!"})
    assert [section.name for section in client.model().sections][-2:] == ["it_sells", "it_sells_2"]
    client.post("/m/1/undo", data={"back": "/m/1/sell"})
    assert client.model() == once


def test_a_section_of_ones_own_is_not_offered_for_taking_away(client):
    edit = add_section("yard", "Yard", "from the old model", "new")
    client.store.edit(1, "Ines", 0, edit)
    assert "Remove Yard" not in client.get("/m/1/sell").text


def test_lines_are_written_by_member(client):
    client.send("write", by="region", **answers_of("units"))
    assert client.model().line("it_sells_revenue").dimensions == ("region",)


@pytest.mark.parametrize(
    ("changed", "words"),
    [
        ({"label": ""}, "What is it called?"),
        ({"units": ""}, "Sold a month is needed"),
        ({"price": "cheap"}, "Price of one"),
        ({"price": "-4"}, "at least 0"),
        ({"pattern": "magic"}, "magic"),
        ({"by": "planet"}, "Expected one of region"),
        ({"mix.0.name": "Small", "mix.0.share": "half"}, "Small, Share of the whole"),
        ({"mix.0.share": "50 %"}, "Row 1 of the mix needs a name"),
        ({"mix.0.name": "Small", "mix.0.share": "50 %"}, "adds to 50 %"),
        ({"price": "Kit revenue"}, "Kit revenue is"),
        ({"pattern": "events", "types.0.name": "Talk", "types.0.events": "Rent"}, "Talk, How many a month"),
        ({"pattern": "customer_metrics", "customers": "nobody"}, "expected the name of a line; got “nobody”"),
    ],
)
def test_what_cannot_be_is_said_and_nothing_is_written(client, changed, words):
    before = client.model()
    reply = client.send("write", **{**answers_of("units"), **changed})
    assert reply.status_code == 422
    assert words in re.sub(r"&#\d+;", "'", reply.text)
    assert client.model() == before


def test_a_preview_rolls_up_as_the_lines_do(client):
    shown = client.send("preview", by="region", **answers_of("units")).text
    prices = re.search(r"price of one.*?</tr>", shown, re.S)[0]
    assert re.findall(r'<td class="r">([^<]*)</td>', prices) == ["49.00"] * 3
    margin = re.search(r"gross margin, share.*?</tr>", shown, re.S)[0]
    assert re.findall(r'<td class="r">([^<]*)</td>', margin) == [f"{3200 / 49:.1f}"] * 3
    sold = re.search(r"sold a month.*?</tr>", shown, re.S)[0]
    assert re.findall(r'<td class="r">([^<]*)</td>', sold) == ["3,600"] * 3


def test_a_preview_says_what_is_still_missing(client):
    reply = client.send("preview", **{**answers_of("units"), "price": ""})
    assert reply.status_code == 200
    assert "Price of one is needed" in reply.text


def test_what_others_need_stays(client):
    client.send("write", **answers_of("units"))
    form = {"line": "software", "formula": "it_sells_units * 2", "amount": "", "seen": str(client.revision()),
            "back": "/m/1/drivers"}  # fmt: skip
    assert client.post("/m/1/drivers/formula", data=form).status_code == 303
    reply = client.send("remove", section="it_sells")
    assert reply.status_code == 422
    assert "is needed by Software" in reply.text


def test_add_what_you_sell_in_the_browser(page, address):
    page.goto(f"{address}/m/1/drivers")
    page.get_by_role("link", name="Add what you sell").click()
    page.get_by_role("link", name=re.compile("^Subscription")).click()
    page.wait_for_load_state()
    page.get_by_label("What it is called").fill("Sensor plans")
    page.get_by_label("new customers a month").fill("20 rising 2 % each month from Jan 27")
    expect(page.locator("#sell-preview")).to_contain_text("Price a month is needed")
    page.get_by_role("combobox", name="price a month needed").fill("15")
    page.get_by_label("Name, row 3", exact=True).focus()
    block = "Basic\\t60 %\\nPlus\\t30 %\\t35"
    page.evaluate(f"""() => {{
        const data = new DataTransfer();
        data.setData("text/plain", "{block}");
        document.activeElement.dispatchEvent(new ClipboardEvent("paste", {{clipboardData: data, bubbles: true}}));
    }}""")
    expect(page.get_by_label("share of new ones, row 4")).to_have_value("30 %")  # a row more than there were
    expect(page.locator("#sell-preview")).to_contain_text("shares of the tiers add to 90 %")
    page.get_by_label("share of new ones, row 3").fill("70 %")
    page.get_by_label("share that pays by the year").fill("40 %")
    expect(page.locator("#sell-preview")).to_contain_text("recurring revenue a month")
    page.get_by_role("button", name="Write these lines").click()
    expect(page.locator("#latest-sentence")).to_contain_text(
        re.compile(r"Sensor plans: \d+ lines written, subscription")
    )
    expect(page.locator("#section-sensor_plans")).to_be_attached()
    page.keyboard.press("Control+z")
    expect(page.locator("#section-sensor_plans")).to_have_count(0)
