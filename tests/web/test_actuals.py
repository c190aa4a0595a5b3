"""Actuals: books read, placed, reconciled and closed; months opened again; what is wrong is said where it was made."""

import re
from io import BytesIO

import openpyxl
import pytest
from playwright.sync_api import expect

from tests.kit.desk import HTMX, refused
from widefork.core.axes import Month, Timeline
from widefork.core.engine import evaluate
from widefork.core.finance.assemble import build_plan
from widefork.core.graph.model import Model
from widefork.core.lines import Line, Section
from widefork.core.rules import RULES, read_rule
from widefork.web.pages.actuals.sheet import read_sheet
from widefork.web.shared.blocks import TwoReadings

JULY, AUGUST = Month(2026, 7), Month(2026, 8)
BOOKS = """Account	July 2026
Kit revenue	-190,400.00
Panel revenue	-95,200.00
Kit materials	41,800.00
Rent	9,000.00
Software licences	2,410.50
Cash	481,200.00
Receivables: Kit customers	242,000.00
Payables	-61,500.00
Loans	-104,000.00
Kits sold	3,010
"""


@pytest.fixture
def client(client):
    return client.begin("actuals", message_at="books", month="2026-07", back="/m/1/actuals?case=base")


def read(client, text=BOOKS):
    reply = client.send("read", text=text)
    assert reply.status_code == 303, reply.text


def test_books_are_read_and_nothing_is_in_the_model_before_the_month_is_closed(client):
    before = client.model()
    read(client)
    page = client.read()
    assert "by its name" in page
    assert "Written with a minus in the books, taken without: income, what is owed." in page
    assert "of cash is explained by nothing given" in page
    assert "Jul 26 against the plan as it stands" in page
    assert client.model() == before


def test_a_month_closed_moves_the_boundary_and_the_statements_still_tie(client):
    read(client)
    assert client.send("close", seal="July closed").status_code == 303
    model = client.model()
    assert model.timeline.last_actual == JULY
    assert model.closings[0].figures["kit_customers_balance"] == 242000
    results = evaluate(build_plan(model), [model.changes_of(case.name) for case in model.cases])
    assert results.series("cash")[6] == 481200
    # 285,600 of kits, panels and checks in the books, and what the shop is planned to sell
    assert results.series("revenue")[6] == pytest.approx(285600 + 16000 * 0.05 * 0.1 * 5.2)
    for check in ("balance_difference", "cash_difference", "methods_difference"):
        assert abs(results.values(check)).max() < 1e-6
    names = [seal.name for seal in client.workspace.seals.of(1)]
    assert names == ["July closed", "Plan before Jul 26 was closed"]
    sealed = client.workspace.sealed(1, client.workspace.seals.of(1)[0].id).stored.model
    assert sealed.closings == model.closings


def test_the_next_month_remembers_where_accounts_go(client):
    read(client)
    client.send("arrange", account=["Software licences"], place=["leave out"])
    client.send("arrange", account=["Kits sold"], place=["Kits sold: Coast"])
    client.send("close")
    read_august = client.send("read", text=BOOKS, month="2026-08")
    assert read_august.status_code == 303
    page = client.read()
    assert page.count("as last time") == 10
    assert 'value="leave out"' in page
    assert 'value="Kits sold: Coast"' in page


def test_the_first_month_of_a_model_without_history_is_closed(client):
    months = Timeline(Month(2026, 11), 12)
    rent = Line("rent", "Rent", "EUR", "a", rules={(): read_rule(RULES, 900)}, posts_to="premises_costs")
    model_id = client.workspace.store.create(
        Model("Fresh", "EUR", months, sections=(Section("a", "A"),), lines=(rent,))
    )
    where = f"/m/{model_id}/actuals"
    data = {"back": where, "month": "2026-11", "seen": "0"}
    assert client.get(where).status_code == 200
    assert client.post(f"{where}/read", data={**data, "text": "Rent\t950\nCash\t-950\n"}).status_code == 303
    assert client.post(f"{where}/close", data={**data, "seal": "November"}, headers=HTMX).status_code == 303
    results = evaluate(build_plan(client.workspace.store.load(model_id).model))
    assert results.series("premises_costs").tolist()[:2] == [950, 900]
    assert results.series("cash_after_overdraft").tolist()[:2] == [-950, -1850]
    assert results.series("not_funded").tolist()[:2] == [950, 1850]
    assert results.series("cash").tolist()[:2] == [0, 0]
    assert client.get(f"{where}?close=2026-11").status_code == 200


def test_what_was_typed_last_comes_along_with_the_close(client):
    page = read(client)
    assert 'hx-include="#arrange" hx-sync="#arrange:queue last"' in client.get("/m/1/actuals").text
    assert client.send("close", **{"note:kit_revenue": " the flood brought testers "}).status_code == 303, page
    assert client.model().closings[0].notes == {"kit_revenue": "the flood brought testers"}


def test_undo_takes_a_close_back_whole(client):
    before = client.model()
    read(client)
    client.send("close")
    client.post("/m/1/undo", data={"back": "/m/1/actuals"})
    assert client.model() == before


def test_a_month_is_opened_again_and_its_figures_wait(client):
    read(client)
    client.send("close")
    assert client.send("reopen").status_code == 303
    model = client.model()
    assert model.timeline.last_actual == Month(2026, 6)
    assert model.closings
    assert not model.closed
    refused(client.send("reopen", month="2026-03"), "Only the last month closed")


def test_a_note_says_why_before_and_after_closing(client):
    read(client)
    client.send("arrange", **{"note:kit_revenue": "a dry spring"})
    client.send("close")
    assert client.model().closings[0].notes == {"kit_revenue": "a dry spring"}
    client.send("note", line="kit_revenue", note="a dry spring, and prices")
    assert "a dry spring, and prices" in client.read("?close=2026-07")
    client.send("note", line="kit_revenue", note="")
    assert client.model().closings[0].notes == {}


def test_a_difference_is_split_into_volume_price_and_cost(client):
    read(client, f"{BOOKS}Kits tested\t3,080\n")
    page = client.read()
    assert re.search(r"volume [+−][\d,]+, price [+−][\d,]+", page)
    assert re.search(r"cost [+−][\d,]+", page)


def test_ages_that_do_not_add_up_are_said_beside_them_and_hold_the_close(client):
    read(client)
    client.send("arrange", changed="age:kit_customers:0", **{"age:kit_customers:0": "5", "age:kit_customers:1": "7"})
    assert "The ages add to 12.00; the books have 242,000.00 open." in client.read()
    refused(client.send("close"), "The ages add to 12.00")
    right = {"age:kit_customers:0": "200000", "age:kit_customers:1": "42000"}
    client.send("arrange", **{"aged:kit_customers": "yes", **right})
    assert client.send("close").status_code == 303
    assert client.model().closings[0].ages["kit_customers"] == (42000.0, 200000.0)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "Nothing came"),
        ("just words\nand more", "Expected two columns"),
        ("a\tb\nc\td", "got no amounts"),
        ("Cash\t1.250,00\nRent\t3,500.00", "some a decimal comma"),
    ],
)
def test_what_cannot_be_read_is_said_in_words(client, text, words):
    refused(client.send("read", text=text), words)


def test_three_digits_behind_a_mark_are_thousands_of_money(client):
    read(client, "Cash\t481.200\nRent\t9.000\n")
    assert "481,200.00" in client.read()
    read(client, "Cash\t481,200\nRent\t9,000\n")
    assert "481,200.00" in client.read()
    assert client.send("read", text="Cash\t1.250,50\nRent\t3,500.25", mark=",").status_code == 303


def test_a_place_that_is_none_is_said_at_its_row_and_holds_the_close(client):
    read(client)
    client.send("arrange", account=["Kits sold"], place=["Kits sld"])
    assert "is no place of this model. Did you mean Kits sold?" in client.read()
    refused(client.send("close"), "1 of the accounts have no place yet: Kits sold")


def test_books_that_went_and_months_out_of_turn_are_refused(client):
    refused(client.send("close"), "no longer here")
    refused(client.send("read", text=BOOKS, month="soon"), "soon")
    read(client)
    client.send("drop")
    assert "Paste accounts with their amounts" in client.read()


def test_a_seal_of_that_name_is_refused_before_anything_is_closed(client):
    client.workspace.seals.seal(1, "Ines", "July closed", "", "x")
    read(client)
    refused(client.send("close", seal="July closed"), "There is a seal")
    assert client.model().timeline.last_actual == Month(2026, 6)


def spreadsheet(rows):
    book = openpyxl.Workbook()
    for row in rows:
        book.active.append(row)
    content = BytesIO()
    book.save(content)
    return content.getvalue()


@pytest.mark.parametrize(
    ("name", "content"),
    [
        ("books.xlsx", spreadsheet([["Account", "Jul"], ["Cash", 481200], [None, None], ["Rent", 9000.25]])),
        ("books.csv", b"Account;Jul\nCash;481.200,00\nRent;9.000,25\n"),
        ("books.csv", "Konto,Jul\nCash,481200\nRent,9000.25\nBüro,1\n".encode("cp1252")),
    ],
)
def test_books_are_loaded_from_files(client, name, content):
    reply = client.send("read", file=(BytesIO(content), name))
    assert reply.status_code == 303, reply.text
    page = client.read()
    assert "481,200.00" in page
    assert "9,000.25" in page


def test_a_file_of_another_kind_is_refused(client):
    refused(client.send("read", file=(BytesIO(b"x"), "books.pdf")), "expected a .csv, .xlsx or .ods")
    refused(client.send("read", file=(BytesIO(b"x"), "books.xlsx")), "cannot be opened")


def test_the_sheet_to_fill_in_can_be_pasted_back(client):
    rows = client.get("/m/1/actuals/template.csv?close=2026-07").text.splitlines()
    assert rows[0] == "account,plan,Jul 26"
    filled = [f"{row}100" if row.startswith(("Cash,", "Rent,")) else row for row in rows]
    read(client, "\n".join(row.replace(",", "\t") for row in filled if '"' not in row))
    page = client.read()
    assert 'value="Rent"' in page
    assert "no place yet" not in page


def test_a_month_is_closed_in_the_browser(page, address):
    page.goto(f"{address}/m/1/actuals")
    page.get_by_label("Accounts and amounts, pasted").fill(BOOKS)
    page.get_by_role("button", name="Read the books").click()
    expect(page.get_by_label("Software licences goes to")).to_have_value("Software")
    page.get_by_label("Kits sold goes to").fill("Kits sld")
    page.keyboard.press("Tab")
    expect(page.locator(".fault")).to_contain_text("Did you mean Kits sold?")
    page.get_by_label("Kits sold goes to").fill("Kits sold")
    page.keyboard.press("Tab")
    expect(page.locator(".fault")).to_have_count(0)
    page.get_by_label("Why Kit revenue differs").fill("the flood brought testers")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Close Jul 26").click()
    expect(page.locator(".term[aria-current]")).to_contain_text("closed", timeout=60_000)  # two seals are written out
    expect(page.get_by_label("Why Kit revenue differs")).to_have_value("the flood brought testers")
    expect(page.locator("#latest-sentence")).to_contain_text("Jul 26 closed with")
    page.get_by_role("link", name="Statements").click()
    expect(page.locator(".head .sub")).to_contain_text("all three tie in every month")
    page.wait_for_load_state()  # keys are heard once the scripts are there
    page.keyboard.press("Control+z")
    expect(page.locator("#latest-sentence")).to_contain_text("took back: Jul 26 closed")


@pytest.mark.parametrize(
    ("cells", "amounts"),
    [
        (["12.400", "3.250"], [12400, 3250]), (["12,400", "3,250"], [12400, 3250]),
        (["(31,200)", "401,000"], [-31200, 401000]), (["€ 401,000", "€ 12,400"], [401000, 12400]),
        (["9.800,00-", "12.400,50"], [-9800, 12400.5]), (["31,200-", "401,000"], [-31200, 401000]),
        (["€ 401,000.00", "5"], [401000, 5]), (["0.125", "7.5"], [0.125, 7.5]),
        (["12.400", "3.25"], None), (["(31.200)", "12.5"], None), (["12,400", "3,2"], None),
    ],
)  # fmt: skip
def test_no_amount_of_the_books_is_read_a_thousand_times_too_small(cells, amounts):
    rows = [["Account", "Amount"], *([f"Account {place}", cell] for place, cell in enumerate(cells))]
    if amounts is None:
        with pytest.raises(TwoReadings, match="can be read two ways"):
            read_sheet(rows)
    else:
        assert list(read_sheet(rows).amounts.values()) == amounts


TRIAL = [
    ["Account", "Debit", "Credit"],
    ["Kit revenue", "", "1,190,400.00"],
    ["Panel revenue", "", "95,200.00"],
    ["Rent", "9,000.00", ""],
    ["Cash at bank", "481,200.00", ""],
    ["Trade debtors", "242,000.00", ""],
    ["Trade creditors", "", "61,500.00"],
    ["Total", "732,200.00", "732,200.00"],
]


def test_a_trial_balance_is_read_by_its_debits_and_credits(client):
    sheet = read_sheet(TRIAL)
    assert sheet.amounts == {
        "Kit revenue": -1190400, "Panel revenue": -95200, "Rent": 9000, "Cash at bank": 481200,
        "Trade debtors": 242000, "Trade creditors": -61500,
    }  # fmt: skip
    assert sheet.left_out == ("Account Debit Credit", "Total 732,200.00 732,200.00")
    assert sheet.is_to_date
    read(client, "\n".join("\t".join(row) for row in TRIAL))
    page = client.read()
    assert "income and costs are of the fiscal year so far" in page
    assert "2 rows are not taken" in page
    # Both so far are less than six months of them were: they were given as of the month.
    assert "earlier months come to: Panel revenue, Rent. If the books have amounts of the month alone" in page
    assert re.search(r"\d+ of \d+ rows are filled from the plan: the books said nothing", page)
    assert "The books do not balance by themselves: 614,900.00 EUR more credits" in page
    reply = client.send("close", seal="")
    assert reply.status_code == 422
    assert "tick that they are to be taken as they are" in reply.text
    assert client.send("close", seal="", unbalanced="yes").status_code == 303
    results = evaluate(build_plan(client.model()))
    known = evaluate(client.plan()).values("kit_revenue")[..., :7, 0]
    assert known.sum() == pytest.approx(1190400)
    assert results.series("cash")[6] == 481200


def test_a_month_closed_is_corrected_in_one_step_and_what_is_left_out_stays(client):
    read(client)
    client.send("close", seal="")
    read_page = client.get("/m/1/actuals?case=base&close=2026-07").text
    assert "Correct Jul 26" in read_page
    client.send("read", text="Account\tAmount\nRent\t9,500\nCash\t480,700\n")
    page = client.get("/m/1/actuals?case=base&close=2026-07&correct=yes").text
    assert "Other books for Jul 26" in page
    assert client.send("close", seal="").status_code == 303
    model = client.model()
    assert model.closings[0].figures["cash"] == 480700
    assert model.closings[0].figures["kit_customers_balance"] == 242000
    assert next(line for line in model.lines if line.name == "rent").actuals[()][6] == 9500
    assert client.workspace.store.log(1)[0].sentence == "Jul 26 corrected by 2 figures of the books"


def test_without_quantities_there_is_no_price_variance(client):
    """Kits sold were not given: what they come to is the plan's, and a price found from it would be no price."""
    read(client, BOOKS.replace("Kits sold	3,010\n", ""))
    page = client.read()
    assert "Jul 26 against the plan as it stands" in page
    assert "volume" not in page
