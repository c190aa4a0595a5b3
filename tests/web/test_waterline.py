"""The Waterline: answered in a sentence, worked to zero step by step, by months and by weeks, and from nothing."""

import re

import pytest
from playwright.sync_api import expect

from tests.kit.demo_figures import WORST_BACK, WORST_LOWEST, WORST_NEEDS, WORST_UNDER
from tests.kit.desk import refused
from widefork.core.analysis.waterline import MONEY, handle_of, read_waterline
from widefork.core.axes import Month, Timeline
from widefork.core.engine import evaluate
from widefork.core.finance.assemble import build_plan
from widefork.core.graph.model import Model
from widefork.core.lines import Section


@pytest.fixture
def client(client):
    return client.begin("waterline", case="worst", back="/m/{model}/waterline?case={case}&act=x")


def tried(reply):
    assert reply.status_code == 303, reply.text
    assert "act=" not in reply.location


def sketch(client):
    return client.workspace.sketches.of(1, "Guest")


def worst_room(client):
    """Room of the worst month in Worst with the sketch on it."""
    model = client.model()
    plan = build_plan(model)
    state = sketch(client)
    own = state.changes if state is not None else ()
    return read_waterline(evaluate(plan, [(*model.changes_of("worst"), *own)]), 0).room


def test_the_answer_says_how_much_from_when_why_and_how_it_is_paid_back(client):
    page = client.read("?case=worst")
    assert f"Worst needs {WORST_NEEDS} EUR from {WORST_UNDER}, most in {WORST_LOWEST}" in page
    assert f"is back above in {WORST_BACK}" in page
    assert "Against Base, by then:" in page
    assert re.search(r"A loan of [\d,]+ EUR drawn in Apr 27, interest only for 6 months, then repaid", page)
    assert re.search(r"Or an overdraft limit 1[78]\d,\d00 EUR higher from Apr 27 to \w+ 27\.", page)
    assert "Base stays above the lowest level allowed" in client.read("?case=base")


def test_what_is_proposed_is_sketched_with_one_gesture_and_carries_the_case(client):
    before = client.model()
    tried(client.send("propose", way="loan"))
    assert worst_room(client) >= 0
    page = client.read("?case=worst")
    assert "Worst stays above the lowest level allowed" in page
    assert "Steps in your sketch" in page
    model = client.model()
    assert model.cases == before.cases
    assert [given.label for given in model.schedules][-1] == "Bridging loan"
    refused(client.send("propose", way="loan"), "not short any more")
    client.post("/m/1/sketch/drop", data={"back": "/m/1/waterline"})
    tried(client.send("propose", way="loan"))
    assert len(client.model().schedules) == len(model.schedules)  # what was dropped is taken up again
    client.post("/m/1/sketch/drop", data={"back": "/m/1/waterline"})
    tried(client.send("propose", way="limit"))
    assert worst_room(client) >= 0


def act(client, doing, line, **form):
    span = {"first": "Apr 27", "last": "May 27", "share": "100 %", "months": "6"}
    return client.send("act", doing=doing, line=line, **{**span, **form})


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
    assert sketch(client).sentences[0] in client.read("?case=worst")


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
    plan = client.plan()
    base = read_waterline(evaluate(plan, [()]), 0)
    before = worst_room(client)
    tried(client.send("add", money=money.name, amount="50,000.00", month="Apr 27", months="24", rate="6 %"))
    assert worst_room(client) > before
    plan = client.plan()
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
    refused(client.send("add", **asked), words)
    assert sketch(client) is None


@pytest.mark.parametrize(
    ("line", "form", "said"),
    [
        ("suppliers_paid", {"months": "1"}, "caught up in"),
        ("suppliers_paid", {"months": "3"}, r"caught up over 3 months, \w{3} \d\d to \w{3} \d\d$"),
        ("suppliers_paid", {"first": "Nov 28", "last": "Nov 28", "months": "3"},
         "in Nov 28, caught up over 3 months, Dec 28 to Feb 29, 2 of them after the plan's end"),
        ("term_loan_repaid", {}, "repaid with the rest"),
    ],
)  # fmt: skip
def test_putting_off_says_when_it_is_paid(client, line, form, said):
    tried(act(client, "put_off", line, **form))
    assert re.search(said, sketch(client).sentences[0])


def test_steps_are_taken_back_one_by_one_and_kept_as_a_move(client):
    tried(act(client, "put_off", "suppliers_paid"))
    tried(client.send("add", money="owners", amount="90000", month="Apr 27"))
    rooms = re.findall(r'class="steps">(.*?)</ol>', client.read("?case=worst"), re.S)[0]
    assert rooms.count("<li>") == 3
    client.send("take-back", step="0")
    assert [len(step) for step in sketch(client).steps] == [1]
    assert "Paid in by owners" in sketch(client).sentences[0]
    refused(client.send("take-back", step="7"), "no longer in the sketch")
    seen = str(client.workspace.store.revision(1))
    client.post(
        "/m/1/sketch/keep", data={"way": "move", "label": "Owners help", "seen": seen, "back": "/m/1/waterline"}
    )
    assert [move.label for move in client.model().moves][-1] == "Owners help"


def test_a_sketch_on_another_case_is_not_mixed_with(client):
    tried(act(client, "put_off", "suppliers_paid"))
    refused(client.send("add", case="best", money="owners", amount="9", month="Apr 27"), "Your sketch is on Worst")


def test_the_lowest_level_is_set_in_words_and_taken_back(client):
    assert client.send("level", level="20000 from Jan 27, then 50000 from Jul 27").status_code == 303
    assert "lowest level: 20000 from Jan 27, then 50000 from Jul 27" in client.read("?case=worst")
    assert evaluate(client.plan()).series("waterline")[-1] == 50000
    refused(client.send("level", level="low"), "low")
    assert client.send("level", level="").status_code == 303
    assert client.model().liquidity.level is None


def test_days_and_money_under_way_are_set(client):
    assert client.send("days", line="supplier_payments", days="10").status_code == 303
    assert 'value="10"' in client.read("?case=worst&weeks=yes")
    refused(client.send("days", line="supplier_payments", days="40"), "Expected a day from 1 to 31")
    assert client.send("days", line="supplier_payments", days="").status_code == 303
    assert not client.model().liquidity.days
    assert client.send("under-way", schedule="kit_customers").status_code == 303
    assert "checked>Kit customers" in client.read("?case=worst")
    assert client.model().liquidity.under_way == ("kit_customers",)
    assert client.model().liquidity.under_way_days == 3
    assert client.send("under-way", schedule="kit_customers", days="5").status_code == 303
    assert client.model().liquidity.under_way_days == 5
    refused(client.send("under-way", schedule="kit_customers", days="30"), "1 to 20 working days; got 30")
    refused(client.send("under-way", schedule="kit_customers", days="few"), "Expected working days")
    refused(client.send("under-way", schedule="suppliers"), "suppliers")


def test_weeks_say_where_a_month_that_ends_well_fails_in_its_middle(client):
    client.send("level", level="430000")
    client.send("days", line="customer_receipts", days="end")
    page = client.read("?case=base&weeks=yes")
    assert re.search(r"Jul 26 ends [\d,]+ above, yet on its day \d+ cash is [\d,]+ EUR under", page)
    assert "27–31 Jul" in page


def test_a_year_shows_the_room_of_its_narrowest_month(client):
    page = client.read("?case=worst&by=year&from=2026-01&to=2028-12")
    row = re.search(r'id="row-headroom">.*?</tr>', page, re.S)[0]
    assert "Room above it, narrowest month" in row
    plan = client.plan()
    room = evaluate(plan, [plan.model.changes_of("worst")]).series("headroom")
    shown = [text.replace(",", "").replace("−", "-") for text in re.findall(r'class="v">([^<]*)<', row)]
    assert [float(text) for text in shown] == [round(room[at : at + 12].min()) for at in (0, 12, 24)]


def test_every_way_of_showing_it_is_answered(client):
    for query in ("?by=quarter", "?by=year&case=best", "?fold=supplier_payments,loan_repayments&act=term_loan_repaid",
                  "?add=deposits", "?act=nothing", "?weeks=yes&fold=staff_payments"):  # fmt: skip
        client.read(query)


def fresh(client):
    months = Timeline(Month(2026, 11), 24)
    return client.workspace.store.create(Model("Fresh", "EUR", months, sections=(Section("a", "A"),)))


def test_a_waterline_from_nothing_without_a_balance_sheet(client):
    model_id = fresh(client)
    assert "Start with what comes in" in client.get(f"/m/{model_id}/waterline").text
    form = {"label": ["From customers", "Rent", "Insurance"], "side": ["in", "out", "out"],
            "amount": ["9000", "4000 from Nov 26, 9500 from Mar 27", ""],
            "bank": "12000", "under_way": "500"}  # fmt: skip
    assert client.send("start", model_id, case="base", **form).status_code == 303
    plan = client.plan(model_id)
    results = evaluate(plan)
    assert results.series("cash")[0] == 12000 + 500 + 9000 - 4000
    assert abs(results.values("balance_difference")).max() < 1e-6
    assert [line.label for line in plan.model.lines if not line.is_generated] == [
        "From customers", "Rent",
    ]  # fmt: skip
    client.post(f"/m/{model_id}/undo", data={"back": "/"})
    assert client.model(model_id).lines == ()


def test_what_is_owed_and_what_comes_later_is_what_it_is(client):
    """Amounts as they move in the bank: 60 of 6,000 payments worked out by hand, month by month."""
    model_id = fresh(client)
    form = {"label": ["From customers", "Card sales", "Wages and salaries"], "side": ["in", "in", "out"],
            "amount": ["9000", "3000", "5000"], "bank": "20000", "limit": "4000", "limit_rate": "12 %",
            "under_way": "500", "under_way_days": "3", "late_share": "20 %", "late_months": "2", "owed_before": "3600",
            "card_days": "7", "support": "1000", "support_after": "2", "loan": "700", "loan_left": "24",
            "loan_rate": "6 %", "lease": "300", "lease_left": "12", "lease_rate": "0 %",
            "tax": "2400 every 3 months from Jan 27"}  # fmt: skip
    reply = client.send("start", model_id, case="base", **form)
    assert reply.status_code == 303, reply.text
    plan = client.plan(model_id)
    results = evaluate(plan)

    def months(name, count=4):
        return [round(float(value), 6) for value in results.series(name)[:count]]

    # 80 % of 9,000 at once and 20 % two months later; what was owed from before comes in the two months ahead of it
    assert months("late_payers_collected") == [9000, 9000, 9000, 9000]
    # seven working days are a third of a month: two thirds of the first month's card sales, and all from then on
    assert months("card_sales_under_way_collected") == [2000, 3000, 3000, 3000]
    assert months("money_under_way_paid_out") == [500, 0, 0, 0]
    assert months("wage_support_received") == [0, 0, 1000, 1000]
    paid = results.series("loan_interest") + results.series("loan_repaid")
    assert paid[:24] == pytest.approx([700] * 24)
    assert results.series("loan_balance")[23] == pytest.approx(0, abs=1e-6)
    assert months("lease_repayments") == [300] * 4
    assert months("sales_tax_payments") == [0, 0, 2400, 0]
    assert months("revenue") == [12000, 12000, 9600, 12000]
    assert months("other_income") == [1000] * 4
    assert months("overdraft_limit") == [4000] * 4
    cash = [20000 + 9000 + 2000 + 500 - 5000 - 700 - 300]
    for moved in (9000 + 3000 - 5000 - 1000, 9000 + 3000 + 1000 - 5000 - 1000 - 2400):
        cash.append(cash[-1] + moved)
    assert months("cash", 3) == pytest.approx(cash)
    assert abs(results.values("balance_difference")).max() < 1e-6
    # what is under way is what is owed to us, and no income
    assert results.series("other_income").sum() == 1000 * 24
    for name in ("loan_repaid", "lease_repaid", "sales_tax_paid"):
        assert not handle_of(plan, name).reason
    assert dict(plan.model.liquidity.days)["money_under_way_paid_out"].day == 4


@pytest.mark.parametrize(("field", "typed", "told"), [
    ("bank", "much", "In the bank now: Expected"), ("under_way_days", "0", "Under way to the bank, arrives on"),
    ("late_share", "120 %", "of what they pay: expected 0 % to 100 %"), ("loan_left", "", "payments left: exp"),
    ("support", "none", "Wage support, a month: "), ("tax", "soon", "Sales tax to be paid: "),
    ("owed_before", "50", "give the share of customers who pay late"), ("limit_rate", "x", "Overdraft limit, at a"),
])  # fmt: skip
def test_a_field_of_the_list_that_cannot_be_read_is_named(client, field, typed, told):
    form = {"label": ["From customers"], "side": ["in"], "amount": ["9000"], "under_way": "5", "loan": "5",
            "limit": "1", "loan_left": "3", "under_way_days": "3", field: typed}  # fmt: skip
    model_id = fresh(client)
    refused(client.send("start", model_id, case="base", **form), told)
    assert client.model(model_id).lines == ()


def test_a_list_without_an_amount_is_refused(client):
    form = {"label": ["Rent"], "side": ["out"], "amount": [""]}
    refused(client.send("start", fresh(client), case="base", **form), "at least one amount")


def test_a_shortfall_is_worked_to_zero_in_the_browser(page, address):
    page.goto(f"{address}/m/1/waterline?case=worst&from=2026-10&to=2027-11")
    expect(page.locator(".sentence")).to_contain_text(f"Worst needs {WORST_NEEDS} EUR")
    page.get_by_label("Show what Paid to suppliers is made of").click()
    page.get_by_label("act on Suppliers: paid").click()
    page.locator("#act-form").get_by_label("Share", exact=True).fill("20 %")
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


def test_what_a_sketch_costs_is_the_why_while_it_is_on(client):
    """Rent 90,000 a month higher is what is missing then, whatever else the plan has in its usual months."""
    client.post("/m/1/sketch/start", data={"case": "base", "back": "/m/1/waterline?case=base"})
    client.post("/m/1/roots/try", data={
        "line": "rent", "at": "", "case": "base", "month": "2026-09", "value": "+90000", "back": "/m/1/roots?line=rent",
    })  # fmt: skip
    page = client.get("/m/1/waterline?case=base").text
    assert "Against the plan before this sketch, by then" in page
    assert "Against the usual month" not in page


def test_weeks_warn_of_the_month_after_their_end(client):
    """Thirteen weeks from 1 July end on 27 September; a rent of 900,000 in October comes right behind them."""
    assert "After these weeks" not in client.get("/m/1/waterline?case=base&weeks=yes").text
    client.post("/m/1/sketch/start", data={"case": "base", "back": "/m/1/waterline?case=base"})
    client.post("/m/1/roots/try", data={
        "line": "rent", "at": "", "case": "base", "month": "2026-10", "last": "2026-10", "reach": "only",
        "value": "900000", "back": "/m/1/roots?line=rent",
    })  # fmt: skip
    page = client.get("/m/1/waterline?case=base&weeks=yes").text
    assert re.search(r"After these weeks Oct 26 ends [\d,]+ EUR under", page)
