"""The Waterline: answered in a sentence, worked to zero step by step, by months and by weeks, and from nothing."""

import re

import pytest
from playwright.sync_api import expect

from widefork.core.analysis.waterline import MONEY, read_waterline
from widefork.core.axes import Month, Timeline
from widefork.core.engine import evaluate
from widefork.core.finance.assemble import build_plan
from widefork.core.graph.model import Model
from widefork.core.lines import Section

HTMX = {"HX-Request": "true"}


def workspace(client):
    return client.application.extensions["workspace"]


def model_of(client, model_id=1):
    return workspace(client).store.load(model_id).model


def send(client, where, model_id=1, case="worst", **form):
    seen = str(workspace(client).store.revision(model_id))
    data = {"seen": seen, "back": f"/m/{model_id}/waterline?case={case}&act=x", "case": case,
            "message_at": "waterline", **form}  # fmt: skip
    return client.post(f"/m/{model_id}/waterline/{where}", data=data, headers=HTMX)


def tried(reply):
    assert reply.status_code == 303, reply.text
    assert "act=" not in reply.location


def refused(reply, words):
    assert reply.status_code == 422, reply.status_code
    assert words in re.sub(r"&#\d+;", "'", reply.text)


def page_of(client, query="?case=worst"):
    reply = client.get(f"/m/1/waterline{query}")
    assert reply.status_code == 200
    return re.sub(r"&#\d+;", "'", reply.text)


def sketch(client):
    return workspace(client).sketches.of(1, "Guest")


def worst_room(client):
    """Room of the worst month in Worst with the sketch on it."""
    model = model_of(client)
    plan = build_plan(model)
    state = sketch(client)
    own = state.changes if state is not None else ()
    return read_waterline(evaluate(plan, [(*model.changes_of("worst"), *own)]), 0).room


def test_the_answer_says_how_much_from_when_why_and_how_it_is_paid_back(client):
    page = page_of(client)
    assert "Worst needs 250,000 EUR from Apr 27, most in May 27" in page
    assert "is back above in Sep 27" in page
    assert "Against Base, by then:" in page
    assert re.search(r"A loan of [\d,]+ EUR drawn in Apr 27, interest only for 5 months, then repaid", page)
    assert re.search(r"Or an overdraft limit 2[56]\d,\d00 EUR higher from Apr 27 to \w+ 27\.", page)
    assert "Base stays above the lowest level allowed" in page_of(client, "?case=base")


def test_what_is_proposed_is_sketched_with_one_gesture_and_carries_the_case(client):
    before = model_of(client)
    tried(send(client, "propose", way="loan"))
    assert worst_room(client) >= 0
    page = page_of(client)
    assert "Worst stays above the lowest level allowed" in page
    assert "Steps in your sketch" in page
    model = model_of(client)
    assert model.cases == before.cases
    assert [given.label for given in model.schedules][-1] == "Bridging loan"
    refused(send(client, "propose", way="loan"), "not short any more")
    client.post("/m/1/sketch/drop", data={"back": "/m/1/waterline"})
    tried(send(client, "propose", way="loan"))
    assert len(model_of(client).schedules) == len(model.schedules)  # what was dropped is taken up again
    client.post("/m/1/sketch/drop", data={"back": "/m/1/waterline"})
    tried(send(client, "propose", way="limit"))
    assert worst_room(client) >= 0


def act(client, doing, line, **form):
    span = {"first": "Apr 27", "last": "May 27", "share": "100 %", "months": "6"}
    return send(client, "act", doing=doing, line=line, **{**span, **form})


@pytest.mark.parametrize(
    ("doing", "line"),
    [
        ("put_off", "suppliers_paid"),
        ("put_off", "term_loan_repaid"),
        ("instalments", "settled_rent"),
        ("forward", "kit_customers_collected"),
        ("reduce", "suppliers_paid"),
        ("drop", "settled_rent"),
    ],
)
def test_every_act_is_a_step_of_the_sketch(client, doing, line):
    before = worst_room(client)
    tried(
        act(client, doing, line, share="50 %", **({"first": "Jun 27", "last": "Jul 27"} if doing == "forward" else {}))
    )
    assert len(sketch(client).steps) == 1
    assert worst_room(client) != before
    assert sketch(client).sentences[0] in page_of(client)


@pytest.mark.parametrize(
    ("form", "words"),
    [
        ({"first": "Jan 26"}, "the rest is history"),
        ({"last": "Jan 27"}, "is before Apr 27"),
        ({"first": "soon"}, "soon"),
        ({"months": "some"}, "Expected a whole number"),
        ({"share": "0"}, "A share lies above 0 %"),
        ({"doing": "forget"}, "knows no"),
        ({"line": "suppliers_payd"}, "Did you mean suppliers_paid"),
        ({"line": "lab_assets_spent", "doing": "drop"}, "put it off instead"),
    ],
)
def test_what_cannot_be_done_is_said_and_nothing_is_tried(client, form, words):
    doing = form.pop("doing", "put_off")
    line = form.pop("line", "suppliers_paid")
    refused(act(client, doing, line, **form), words)
    assert sketch(client) is None


@pytest.mark.parametrize("money", MONEY, ids=lambda money: money.name)
def test_money_is_added_in_the_sketch_and_base_stays_as_it_is(client, money):
    plan = build_plan(model_of(client))
    base = read_waterline(evaluate(plan, [()]), 0)
    before = worst_room(client)
    tried(send(client, "add", money=money.name, amount="50,000.00", month="Apr 27", months="24", rate="6 %"))
    assert worst_room(client) > before
    plan = build_plan(model_of(client))
    assert read_waterline(evaluate(plan, [()]), 0).room == pytest.approx(base.room)


@pytest.mark.parametrize(
    ("form", "words"),
    [
        ({"amount": "much"}, "Expected a number"),
        ({"amount": "-5"}, "an amount above 0"),
        ({"month": "Jan 26"}, "a month of the plan"),
        ({"months": "0"}, "1 to 360"),
        ({"money": "wishes"}, "wishes"),
    ],
)
def test_money_that_cannot_be_added_is_said(client, form, words):
    asked = {"money": "loan", "amount": "5000", "month": "Apr 27", "months": "12", "rate": "6 %", **form}
    refused(send(client, "add", **asked), words)
    assert sketch(client) is None


def test_steps_are_taken_back_one_by_one_and_kept_as_a_move(client):
    tried(act(client, "put_off", "suppliers_paid"))
    tried(send(client, "add", money="owners", amount="90000", month="Apr 27"))
    rooms = re.findall(r'class="steps">(.*?)</ol>', page_of(client), re.S)[0]
    assert rooms.count("<li>") == 3
    send(client, "take-back", step="0")
    assert [len(step) for step in sketch(client).steps] == [1]
    assert "Paid in by owners" in sketch(client).sentences[0]
    refused(send(client, "take-back", step="7"), "no longer in the sketch")
    seen = str(workspace(client).store.revision(1))
    client.post(
        "/m/1/sketch/keep", data={"way": "move", "label": "Owners help", "seen": seen, "back": "/m/1/waterline"}
    )
    assert [move.label for move in model_of(client).moves][-1] == "Owners help"


def test_a_sketch_on_another_case_is_not_mixed_with(client):
    tried(act(client, "put_off", "suppliers_paid"))
    refused(send(client, "add", case="best", money="owners", amount="9", month="Apr 27"), "Your sketch is on Worst")


def test_the_lowest_level_is_set_in_words_and_taken_back(client):
    assert send(client, "level", level="20000 from Jan 27, then 50000 from Jul 27").status_code == 303
    assert "lowest level: 20000 from Jan 27, then 50000 from Jul 27" in page_of(client)
    assert evaluate(build_plan(model_of(client))).series("waterline")[-1] == 50000
    refused(send(client, "level", level="low"), "low")
    assert send(client, "level", level="").status_code == 303
    assert model_of(client).liquidity.level is None


def test_days_and_money_under_way_are_set(client):
    assert send(client, "days", line="supplier_payments", days="10").status_code == 303
    assert 'value="10"' in page_of(client, "?case=worst&weeks=yes")
    refused(send(client, "days", line="supplier_payments", days="40"), "Expected a day from 1 to 31")
    assert send(client, "days", line="supplier_payments", days="").status_code == 303
    assert not model_of(client).liquidity.days
    assert send(client, "under-way", schedule="kit_customers").status_code == 303
    assert "checked>Kit customers" in page_of(client)
    assert model_of(client).liquidity.under_way == ("kit_customers",)
    refused(send(client, "under-way", schedule="suppliers"), "suppliers")


def test_weeks_say_where_a_month_that_ends_well_fails_in_its_middle(client):
    send(client, "level", level="380000")
    send(client, "days", line="customer_receipts", days="end")
    page = page_of(client, "?case=base&weeks=yes")
    assert re.search(r"Jul 26 ends [\d,]+ above, yet on its day \d+ cash is [\d,]+ EUR under", page)
    assert "27–31 Jul" in page


def test_a_year_shows_the_room_of_its_narrowest_month(client):
    page = page_of(client, "?case=worst&by=year&from=2026-01&to=2028-12")
    row = re.search(r'id="row-headroom">.*?</tr>', page, re.S)[0]
    assert "Room above it, narrowest month" in row
    plan = build_plan(model_of(client))
    room = evaluate(plan, [plan.model.changes_of("worst")]).series("headroom")
    shown = [text.replace(",", "").replace("−", "-") for text in re.findall(r'class="v">([^<]*)<', row)]
    assert [float(text) for text in shown] == [round(room[at : at + 12].min()) for at in (0, 12, 24)]


def test_every_way_of_showing_it_is_answered(client):
    for query in ("?by=quarter", "?by=year&case=best", "?fold=supplier_payments,loan_repayments&act=term_loan_repaid",
                  "?add=deposits", "?act=nothing", "?weeks=yes&fold=staff_payments"):  # fmt: skip
        page_of(client, query)


def fresh(client):
    months = Timeline(Month(2026, 11), 24)
    return workspace(client).store.create(Model("Fresh", "EUR", months, sections=(Section("a", "A"),)))


def test_a_waterline_from_nothing_without_a_balance_sheet(client):
    model_id = fresh(client)
    assert "Start with what comes in" in client.get(f"/m/{model_id}/waterline").text
    form = {"label": ["From customers", "Rent", "Insurance"], "side": ["in", "out", "out"],
            "amount": ["9000", "4000 from Nov 26, 9500 from Mar 27", ""],
            "bank": "12000", "under_way": "500"}  # fmt: skip
    assert send(client, "start", model_id, "base", **form).status_code == 303
    plan = build_plan(model_of(client, model_id))
    results = evaluate(plan)
    assert results.series("cash")[0] == 12000 + 500 + 9000 - 4000
    assert abs(results.values("balance_difference")).max() < 1e-6
    assert [line.label for line in plan.model.lines if not line.is_generated] == [
        "From customers", "Rent", "Money under way, arriving",
    ]  # fmt: skip
    client.post(f"/m/{model_id}/undo", data={"back": "/"})
    assert model_of(client, model_id).lines == ()


def test_a_list_without_an_amount_is_refused(client):
    form = {"label": ["Rent"], "side": ["out"], "amount": [""]}
    refused(send(client, "start", fresh(client), "base", **form), "at least one amount")


def test_a_shortfall_is_worked_to_zero_in_the_browser(page, address):
    page.goto(f"{address}/m/1/waterline?case=worst&from=2026-10&to=2027-11")
    expect(page.locator(".sentence")).to_contain_text("Worst needs 250,000 EUR")
    page.get_by_label("Show what Paid to suppliers is made of").click()
    page.get_by_label("act on Suppliers: paid").click()
    page.locator("#act-form").get_by_label("Share", exact=True).fill("50 %")
    page.get_by_role("button", name="Try it").click()
    expect(page.locator(".steps li")).to_have_count(2)
    page.get_by_text("add money").click()
    page.get_by_role("link", name="Paid in by owners").click()
    page.wait_for_load_state()
    page.locator("#add-form").get_by_label("amount").fill("60000")
    page.get_by_role("button", name="Try it").click()
    expect(page.locator(".steps li")).to_have_count(3)
    page.get_by_role("button", name="Sketch this loan").click()
    expect(page.locator(".sentence")).to_contain_text("Worst stays above the lowest level allowed")
    expect(page.locator(".steps li")).to_have_count(4)
    page.get_by_label(re.compile("Take back: .*[Ss]uppliers: paid")).click()
    expect(page.locator(".sentence")).to_contain_text("Worst needs")
    page.keyboard.press("Control+z")
    expect(page.locator(".steps li")).to_have_count(2)
    page.get_by_role("link", name="13 weeks").click()
    expect(page.locator("#weeks")).to_be_visible()
    page.get_by_label("Received from customers moves on day").fill("end")
    page.keyboard.press("Tab")
    expect(page.locator("#latest-sentence")).to_contain_text("Sketch in Worst")
    page.get_by_role("link", name="Months", exact=True).click()
    page.locator("#row-headroom td a").first.click()
    expect(page.locator("#roots-panel")).to_be_visible()
