"""Terms: schedules added, changed and removed through their forms, registers, when things are paid, the opening."""

import re

import pytest
from playwright.sync_api import expect

from tests.kit.desk import HTMX, done, refused
from widefork.core.changes import Operation
from widefork.core.engine import evaluate
from widefork.core.errors import ChangeRefused
from widefork.core.finance.assemble import build_plan
from widefork.core.finance.schedules import SCHEDULES
from widefork.store.edits import change_model


@pytest.fixture
def client(client):
    return client.begin("terms")


def schedule_of(client, name):
    return next(given for given in client.model().schedules if given.name == name)


@pytest.mark.parametrize("kind", SCHEDULES.names)
def test_a_new_schedule_of_every_kind_has_its_form(client, kind):
    page = client.get(f"/m/1/terms?new={kind}").text
    for setting in SCHEDULES[kind].settings:
        assert setting.label in page.replace("&#39;", "'")
    assert f"Add {SCHEDULES[kind].label.lower()}" in page


@pytest.mark.parametrize(
    "name", ["kit_customers", "lab_assets", "term_loan", "sales_tax", "reagents", "paid", "opening"]
)
def test_everything_can_be_opened(client, name):
    page = client.read(f"?open={name}&case=worst&by=quarter")
    opened = re.findall(r'<a class="term"[^>]*aria-current="true"><b>([^<]+)', page)
    given = {given.name: given for given in client.model().schedules}.get(name)
    if given is None:
        assert opened == [{"paid": "When is it paid", "opening": "Opening balance sheet"}[name]]
    else:
        assert opened == [given.label]
        assert all(setting.label in page for setting in SCHEDULES[given.kind].settings if setting.key in given.settings)


def test_a_loan_is_added_changed_and_removed(client):
    done(
        client.send(
            "add",
            kind="loan",
            label="Van loan",
            amount="24000",
            drawn_in="Jan 27",
            rate="6 %",
            term_months="36",
        )
    )
    assert schedule_of(client, "van_loan").settings == {
        "amount": 24000, "drawn_in": "2027-01", "rate": 0.06, "term_months": 36,
    }  # fmt: skip
    done(client.send("change", schedule="van_loan", label="Van loan", rate="5 % from Jan 27, then 6 % from Jan 28"))
    assert schedule_of(client, "van_loan").settings["rate"] == {"steps": {"2027-01": 0.05, "2028-01": 0.06}}
    done(client.send("change", schedule="van_loan", label="Vans", repayment="straight", term_months="24"))
    assert schedule_of(client, "van_loan").label == "Vans"
    assert "24,000" in client.get("/m/1/terms?open=van_loan").text
    done(client.send("remove", schedule="van_loan"))
    assert "van_loan" not in {given.name for given in client.model().schedules}
    assert client.store.undo(1, "Guest") == "Vans: removed"


def test_what_is_not_touched_keeps_every_digit_and_nothing_changed_is_said(client):
    before = client.model()
    page = client.get("/m/1/terms?open=profit_tax").text
    fields = dict(re.findall(r'<input id="t-\w+" name="(\w+)" value="([^"]*)"', page))
    refused(client.send("change", schedule="profit_tax", label="Income tax", **fields), "Nothing was changed")
    assert client.model() == before


@pytest.mark.parametrize(
    ("form", "words"),
    [
        ({"kind": "loan", "label": "L", "amount": "5", "drawn_in": "Jan 27", "rate": "5 %", "term_months": "0"},
         "whole number from 1 for months until repaid; got 0"),
        ({"kind": "loan", "label": "L", "rate": "5 %", "term_months": "12"}, "either drawn in a month"),
        ({"kind": "loan", "label": "L", "rate": "much", "term_months": "12"}, "Rate a year: "),
        ({"kind": "loan", "label": ""}, "needs a name"),
        ({"kind": "fixed_assets", "label": "A", "bought": "500", "life_months": "0"}, "whole number from 1 for life"),
        ({"kind": "overdraft", "label": "O", "limit": "-5", "rate": "5 %"}, "needs to be at least 0; it is -5"),
        ({"kind": "magic", "label": "M"}, "There is no schedule"),
        ({"kind": "receivables", "label": "R", "has_of": "yes", "of": "kit_revenue", "days": "30"},
         "settled by Kit customers already"),
        ({"kind": "receivables", "label": "R", "days": "30"}, "needs the revenue lines invoiced"),
        ({"kind": "loan", "label": "L", "amount": "5", "drawn_in": "someday", "rate": "5 %", "term_months": "12"},
         "A month is written like"),
    ],
)  # fmt: skip
def test_what_a_schedule_cannot_be_is_said_at_the_form_and_nothing_changes(client, form, words):
    before = client.model()
    refused(client.send("add", **form), words)
    assert client.model() == before


def test_terms_that_add_to_ninety_per_cent_are_named_at_their_field(client):
    shares = {"method": "shares", "share_0": "20 %", "share_1": "70 %"}
    refused(client.send("change", schedule="kit_customers", label="Kit customers", **shares), "add to 90 %")
    done(client.send("change", schedule="kit_customers", label="Kit customers", **{**shares, "share_1": "80 %"}))
    assert "20 % in the month, 80 % after a month" in client.get("/m/1/terms?open=paid").text


def test_a_name_that_would_clash_with_a_caption_is_numbered(client):
    done(client.send("add", kind="grant", label="Interest", granted="500"))
    assert "interest_2" in {given.name for given in client.model().schedules}


def test_the_simple_way_that_collects_less_than_nothing_is_noticed(client):
    done(client.send("change", schedule="kit_customers", label="Kit customers", method="simple", days="90"))
    assert "would be collected in" in client.get("/m/1/terms?open=kit_customers").text
    assert "Possible payments" in client.get("/m/1/statements?show=checks").text


def test_assets_are_added_changed_and_removed_in_the_register(client):
    row = {"schedule": "lab_assets", "life_months": "48"}
    done(client.send("asset", **row, member="", label="Centrifuge", cost="9600", bought="Mar 27", method="declining",
              rate="30 %"))  # fmt: skip
    register = client.model().dimension_by_name["equipment"]
    assert register.attributes["Centrifuge"] == {
        "cost": 9600, "bought": "2027-03", "life_months": 48, "method": "declining", "rate": 0.3,
    }  # fmt: skip
    done(
        client.send("asset", **row, member="Centrifuge", label="Big centrifuge", cost="12000", bought="Mar 27", rate="")
    )
    changed = client.model().dimension_by_name["equipment"]
    assert changed.attributes["Big centrifuge"]["cost"] == 12000
    assert "rate" not in changed.attributes["Big centrifuge"]
    refused(client.send("asset", **{**row, "life_months": "0"}, member="Van 2", label="Van 2"), "whole number from 1")
    refused(client.send("asset", **row, member="Van 2", label="Van 2", cost="many"), "Van 2, cost")
    done(client.send("remove_asset", schedule="lab_assets", member="Big centrifuge"))
    assert "Big centrifuge" not in client.model().dimension_by_name["equipment"].members
    refused(client.send("asset", schedule="term_loan", member="", label="X"), "has no register")


def test_assets_are_pasted_with_headings_and_without(client):
    rows = "Centrifuge\tlab\t9600\tMar 27\t\t48\t600\tequal amounts\nVan 1\t\t\t\t\t30"
    done(client.send("paste_assets", schedule="lab_assets", text=rows))
    known = client.model().dimension_by_name["equipment"].attributes
    assert known["Centrifuge"] == {
        "category": "lab", "cost": 9600, "bought": "2027-03", "life_months": 48, "salvage": 600, "method": "straight",
    }  # fmt: skip
    assert known["Van 1"]["life_months"] == 30
    done(
        client.send(
            "paste_assets",
            schedule="lab_assets",
            text="asset\tLife in months\tCost\tBought\nPress\t24\t500\tMay 27",
        )
    )
    press = {"life_months": 24, "cost": 500, "bought": "2027-05"}
    assert client.model().dimension_by_name["equipment"].attributes["Press"] == press
    refused(client.send("paste_assets", schedule="lab_assets", text="Press\tx\tmany"), "Press, cost")
    refused(client.send("paste_assets", schedule="lab_assets", text="\tx\t5"), "needs a name")
    refused(client.send("paste_assets", schedule="lab_assets", text="\t".join("abcdefghijklmno")), "Expected the name")


def test_the_lines_of_a_schedule_become_ones_own(client):
    before = evaluate(client.plan()).series("cash").tolist()
    done(client.send("detach", schedule="suppliers"))
    assert schedule_of(client, "suppliers").kind == "own_terms"
    model = client.model()
    assert model.line("suppliers_paid").source is None
    assert evaluate(build_plan(model)).series("cash").tolist() == pytest.approx(before)
    page = client.get("/m/1/terms?open=suppliers").text
    assert "by lines of your own" in page
    assert "make its lines mine" not in page
    refused(client.send("detach", schedule="suppliers"), "lines of your own already")


def test_how_an_asset_is_built_is_no_assumption(client):
    plan = client.plan()
    assert "lab_assets_life" not in plan.assumptions_behind("depreciation")
    assert "lab_assets_cost" in plan.assumptions_behind("depreciation")
    with pytest.raises(ChangeRefused, match="change it there"):
        plan.check_changeable("lab_assets_life")
    folded = client.get("/m/1/drivers").text
    assert "First month, by its number" not in folded
    for address in ("drivers?open=lab_assets", "roots?line=lab_assets_life&at=Van 1&start=2026-09", "swings",
                    "drivers/cell?line=lab_assets_life&at=Van 1&month=2026-09"):  # fmt: skip
        assert client.get(f"/m/1/{address}").status_code == 200, address


def test_an_amount_of_an_asset_changed_in_drivers_is_its_attribute(client):
    rule = {"line": "lab_assets_sold_for", "at": "Van 1", "case": "base", "phrase": "7000", "back": ""}
    assert client.post("/m/1/drivers/rule", data={**rule, "seen": "0"}).status_code == 303
    assert client.model().dimension_by_name["equipment"].attributes["Van 1"]["sold_for"] == 7000
    steps = {**rule, "phrase": "7000 from Jan 26, then 8000 from Jan 27", "seen": "1"}
    reply = client.post("/m/1/drivers/rule", data=steps, headers=HTMX)
    assert reply.status_code == 422
    assert "stands in the register" in reply.text


def test_a_line_is_settled_by_another_schedule_or_in_the_month(client):
    done(client.send("settle", line="rent", by="suppliers"))
    assert "rent" in schedule_of(client, "suppliers").settings["of"]
    assert "settled_rent" not in client.plan().model.line_by_name
    done(client.send("settle", line="rent", by=""))
    assert "settled_rent" in client.plan().model.line_by_name
    done(client.send("settle", line="monitoring_invoiced", by="kit_customers"))
    assert "monitoring_invoiced" not in schedule_of(client, "municipal").settings["of"]
    refused(client.send("settle", line="panel_revenue", by="kit_customers"), "is the only line of Municipal customers")
    refused(client.send("settle", line="rent", by=""), "Nothing was changed")


@pytest.mark.parametrize("case", ["base", "worst"])
def test_what_is_put_off_is_said_where_it_was_done_and_can_be_taken_back(client, case):
    before = client.model()
    dates = {"first": "Jan 27", "last": "Mar 27", "over": "6", "case": case}
    for line, place in (("settled_rent", "paid"), ("suppliers_paid", "suppliers")):
        done(client.send("put-off", line=line, share="50 %", **dates))
        text = client.get(f"/m/1/terms?open={place}&case={case}").text
        assert "50 % put off, caught up over 6 months, Apr 27 to Sep 27" in text
        done(client.send("take-back", line=line, case=case))
    assert client.model() == before


def test_a_lines_panel_says_when_it_is_paid(client):
    assert "30 days after the invoice" in client.get("/m/1/drivers/line?line=courier").text
    assert "in the month" in client.get("/m/1/drivers/line?line=rent").text


def test_a_payment_is_put_off_in_the_active_case_and_follows_a_rename(client):
    dates = {"first": "Jan 27", "last": "Mar 27", "over": "6", "case": "worst"}
    done(client.send("put-off", line="settled_rent", share="50 %", **dates))
    change = client.model().case("worst").changes[-1]
    assert (change.line, change.operation, change.amount) == ("settled_rent", Operation.DEFER, 0.5)
    line = {
        "line": "rent",
        "label": "Rent",
        "name": "lab_rent",
        "unit": "EUR",
        "section": "overheads",
        "posts_to": "premises_costs",
    }
    client.post("/m/1/drivers/line", data={**line, "seen": str(client.revision()), "back": ""})
    assert client.model().case("worst").changes[-1].line == "settled_lab_rent"
    refused(client.send("settle", line="lab_rent", by="suppliers"), "Take that back first")
    refused(
        client.send("put-off", line="settled_lab_rent", share="50 %", **{**dates, "over": "0"}), "Expected 1 to 120"
    )
    refused(client.send("put-off", line="settled_lab_rent", share="50 %", **{**dates, "last": "Dec 26"}), "is before")


def test_an_opening_that_does_not_balance_shows_its_difference_and_what_would_mend_it(client):
    done(client.send("opening", cash="500000"))
    page = client.get("/m/1/terms?open=opening").text
    assert "does not balance by 155,000" in page
    suggested = re.search(r'name="retained_earnings" value="([^"]+)"><button', page)[1]
    done(client.send("opening", retained_earnings=suggested))
    assert "does not balance" not in client.get("/m/1/terms?open=opening").text
    refused(client.send("opening", cash="lots"), "lots")


def test_what_posts_nowhere_is_listed_with_where_to_mend_it(client):
    line = {"section": "overheads", "label": "Insurance", "unit": "EUR", "amount": "400"}
    client.post("/m/1/drivers/line", data={**line, "seen": "0", "back": ""})
    assert "Insurance</a>" in client.get("/m/1/terms?open=paid").text


def test_a_model_without_schedules_says_what_to_do(client):
    client.post("/models/new", data={"name": "Bare", "currency": "EUR", "start": "Jan 27", "months": "12",
                                     "fiscal_year_start": "1", "last_actual": "", "dimensions": ""})  # fmt: skip
    page = client.get("/m/2/terms").text
    assert "none yet" in page
    assert "No line posts to the income statement yet" in page


def test_while_a_sketch_is_on_terms_stay_as_they_are(client):
    client.post("/m/1/sketch/start", data={"case": "base", "back": ""})
    refused(client.send("change", schedule="term_loan", label="Loan", rate="6 %"), "Keep or drop the sketch first")
    done(
        client.send(
            "put-off",
            line="suppliers_paid",
            share="100 %",
            first="Jan 27",
            last="Feb 27",
            over="4",
            case="base",
        )
    )
    assert len(client.model().case("base").changes) == 0


def test_a_sketch_about_a_payment_somebody_settles_otherwise_goes_on_without_it(client):
    client.post("/m/1/sketch/start", data={"case": "base", "back": ""})
    dates = {"first": "Jan 27", "last": "Feb 27", "over": "4", "case": "base"}
    done(client.send("put-off", line="settled_rent", share="100 %", **dates))
    done(client.send("put-off", line="suppliers_paid", share="50 %", **dates))
    client.set_cookie("person", "Okan")
    done(client.send("settle", line="rent", by="suppliers"))
    client.delete_cookie("person")
    page = client.get("/m/1/terms").text
    assert "1 of its changes no longer applies" in page
    keep = {"way": "case", "seen": str(client.revision()), "back": "", "case": "base"}
    fork = {**keep, "way": "fork", "label": "Slow payer"}
    assert client.post("/m/1/sketch/keep", data=fork, headers=HTMX).status_code == 303
    assert [change.line for change in client.model().case("slow_payer").changes] == ["suppliers_paid"]


def test_figures_on_a_payment_keep_it_where_it_is(client):
    figure = {"label": "Rent paid", "line": "settled_rent", "find": "sum", "seen": "0", "back": ""}
    assert client.post("/m/1/compare/figures", data=figure).status_code == 303
    refused(client.send("settle", line="rent", by="suppliers"), "Rent paid reads settled_rent")


def test_a_stale_page_does_not_overwrite_another_persons_terms(client):
    form = {"schedule": "term_loan", "label": "Term loan", "rate": "6 %", "seen": "0"}
    done(client.send("change", **form))
    client.set_cookie("person", "Okan")
    reply = client.send("change", **{**form, "rate": "7 %"})
    assert reply.status_code == 409
    assert schedule_of(client, "term_loan").settings["rate"] == 0.06


def test_terms_in_the_browser(page, address, app):
    page.goto(f"{address}/m/1/terms")
    page.get_by_label("Days until customers pay").fill("60")
    page.get_by_role("button", name="Use these terms").click()
    expect(page.locator(".term[aria-current] .words")).to_have_text("60 days after the invoice")
    page.get_by_label("How it is reckoned").select_option("shares")
    expect(page.get_by_label("Days until customers pay")).to_be_hidden()
    page.get_by_label("Paid in the month").fill("30 %")
    page.get_by_role("button", name="Use these terms").click()
    expect(page.locator("#terms-message")).to_contain_text("add to 30 %")
    expect(page.get_by_label("Paid in the month")).to_have_value("30 %")
    page.get_by_label("paid after 2 months").fill("70 %")
    page.get_by_role("button", name="Use these terms").click()
    expect(page.locator(".term[aria-current] .words")).to_have_text("30 % in the month, 70 % after 2 months")
    page.locator("#roll td a").first.click()
    expect(page.locator("#roots-panel")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    expect(page.locator(".term[aria-current] .words")).to_have_text("60 days after the invoice")


def test_a_loan_is_added_by_keyboard_alone(page, address):
    page.goto(f"{address}/m/1/terms?new=loan")
    page.get_by_label("Name of the schedule").focus()
    page.keyboard.type("Van loan")
    for label, typed in (
        ("amount", "24000"),
        ("month drawn", "Jan 27"),
        ("rate a year", "6 %"),
        ("months until repaid", "36"),
    ):
        page.get_by_label(label, exact=True).focus()
        page.keyboard.type(typed)
    page.keyboard.press("Enter")
    expect(page.locator(".term", has_text="Van loan")).to_be_visible()


def test_the_opening_of_another_model_is_its_own(client):
    client.store.edit(1, "Ines", 0, change_model("Opening", opening_balances={"cash": 1.0}))
    assert "does not balance" in client.get("/m/1/terms").text
