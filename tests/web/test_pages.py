"""Every page by plain HTTP: shows, stays bookmarkable, takes bad input in words, and gives nothing away."""

import re
import sqlite3

import pytest
from flask import url_for

from tests.kit.desk import HTMX
from tests.kit.gestures import gesture
from widefork.web.pages import PAGES

IN_MENU = [page.name for page in PAGES if page.label]
PANEL = {**HTMX, "HX-Target": "roots"}
CELL = gesture(value="52", reach="on")


def text_of(reply):
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", reply.get_data(as_text=True)))


@pytest.mark.parametrize("name", [page.name for page in PAGES])
@pytest.mark.parametrize(
    "query", ["", "?case=worst", "?by=quarter", "?by=year&from=2026-01&to=2028-12", "?from=rubbish&case=x&by=z"]
)
def test_every_page_shows_whatever_the_address_says(client, name, query):
    query += ("&" if query else "?") + "line=revenue&start=2026-09"
    reply = client.get(f"/m/1/{name}{query}")
    assert reply.status_code == 200
    assert "Wide Fork" in reply.text
    assert "Lowest cash" in reply.text
    assert not re.search(r'\sstyle="|<script>|onclick=|(src|href)="https?:', reply.text)


def test_the_menu_is_in_the_order_of_work():
    numbers = [page.number for page in PAGES if page.label]
    assert numbers == sorted(numbers)
    assert IN_MENU[0] == "lookout"


def test_the_front_door_leads_to_the_lookout(client):
    assert client.get("/").location.endswith("/m/1/lookout")


def test_without_a_model_the_front_door_says_what_to_do(client, app):
    app.extensions["workspace"].store.delete(1)
    assert client.get("/").location.endswith("/models")
    assert "There is no model here yet" in client.get("/models").text


@pytest.mark.parametrize("path", ["/m/99/lookout", "/nothing", "/m/1/roots?line=revenu&start=2026-09"])
def test_what_is_not_there_is_said_and_nothing_else(client, path):
    reply = client.get(path)
    assert reply.status_code == 404
    assert "Traceback" not in reply.text
    assert "There is no" in reply.text or "nothing at this address" in reply.text


def test_every_reply_carries_a_policy_without_inline_code(client):
    policy = client.get("/m/1/lookout").headers["Content-Security-Policy"]
    assert "default-src 'self'" in policy
    assert "unsafe" not in policy


def test_no_write_is_taken_without_its_token(app):
    client = app.test_client()
    writes = [rule for rule in app.url_map.iter_rules() if "POST" in (rule.methods or ())]
    assert {rule.endpoint.split(".")[0] for rule in writes} >= {"drivers", "people", "front", "edits"}
    for rule in writes:
        with app.test_request_context():
            path = url_for(rule.endpoint, **dict.fromkeys(rule.arguments, 1))
        reply = client.post(path, data=CELL, headers=HTMX)
        assert (path, reply.status_code) == (path, 400)
        assert "Reload it and try again" in reply.text


@pytest.mark.parametrize(
    "path", [f"/m/{2**63}/lookout", f"/m/{'9' * 400}/drivers", "/m/²/lookout", "/m/-1/lookout", "/m/1.5/lookout"]
)
def test_what_is_no_id_is_not_there(client, path):
    assert client.get(path).status_code == 404
    assert client.post(path.replace("lookout", "undo"), data={"back": ""}).status_code in (404, 405)


@pytest.mark.parametrize(
    ("form", "status"),
    [({"back": "//["}, 303), ({"back": "http://[::1"}, 303), ({"seen": "²"}, 422), ({"seen": "9" * 5000}, 422)],
)
def test_odd_digits_and_addresses_in_a_form_are_no_fault_of_the_server(client, form, status):
    assert client.post("/m/1/drivers/cells", data={**CELL, **form}).status_code == status
    for page in ("lookout", "drivers", "statements"):
        for since in ("²", "٣", "9" * 5000):
            assert client.get(f"/m/1/{page}?since={since}").status_code == 200


@pytest.mark.parametrize("name", ["evil.example", "evil.example:8400", "127.0.0.1.evil.example"])
def test_a_name_the_server_does_not_answer_to_is_refused(client, name):
    reply = client.get("/m/1/lookout", headers={"Host": name})
    assert reply.status_code == 400
    assert f"--allow-host {name.split(':')[0]}" in reply.text
    assert client.get("/m/1/lookout", headers={"Host": "127.0.0.1:8400"}).status_code == 200


def test_a_page_of_another_site_may_not_write(client):
    assert client.post("/m/1/drivers/cells", data=CELL, headers={"Origin": "https://evil.example"}).status_code == 403
    assert client.post("/m/1/drivers/cells", data=CELL, headers={"Origin": "null"}).status_code == 403
    assert client.revision() == 0
    assert client.post("/m/1/drivers/cells", data=CELL, headers={"Origin": "http://localhost"}).status_code == 303


def test_an_edit_returns_to_its_page_and_shows_what_moved(client):
    reply = client.post("/m/1/drivers/cells", data=CELL)
    assert reply.status_code == 303
    assert reply.location == "/m/1/drivers?case=base&since=0"
    page = text_of(client.get(f"{reply.location}&open=kit_price&from=2026-12&to=2027-06"))
    assert "52.00 +1.53" in page
    assert "Guest : Kit price, Coast: 50.47 to 52.00 from Mar 27 in Base" in page


def test_an_edit_never_leads_to_another_site(client):
    for back in ("https://elsewhere.example/m/1", "//elsewhere.example", "javascript:alert(1)"):
        assert client.post("/m/1/drivers/cells", data={**CELL, "back": back, "seen": "9"}).location.startswith(
            "/?since="
        )


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        ({"value": ""}, "The cell is empty"),
        ({"value": "ninety"}, "Expected a number, got “ninety”"),
        ({"value": "1,250"}, "can be read two ways"),
        ({"months": ["2026-03"]}, "actual months are history"),
        ({"months": ["2099-03"]}, "lies outside the model"),
        ({"months": ["soon"]}, "something that is no edit"),
        ({"months": []}, "Choose at least one cell"),
        ({"rows": [("kit_prize", "")]}, "Did you mean kit_price"),
        ({"rows": [("kit_price", "Cost")]}, "Did you mean Coast"),
        ({"rows": [("kit_price", "Coast/Coast")]}, "is spread over region"),
        ({"case": "nobody"}, "There is no case"),
        ({"rows": [("hired", "")], "value": "500"}, "heads are whole"),
        ({"rows": [("let_go", "")], "value": "500"}, "heads are whole"),
        ({"rows": [("bridge_loan_amount", "")], "value": "+10 %"}, "is 0 in these months"),
        ({"rows": [("revenue", "")], "case": "worst"}, "caption or total"),
        ({"rows": [("revenue", "")]}, "calculated; change its formula"),
        ({"seen": ""}, "lost track"),
        ({"kind": "paste", "value": ""}, "nothing to paste"),
        ({"kind": "paste", "value": "x"}, "Expected a number"),
        ({"kind": "paste", "value": "1,250"}, "can be read two ways"),
        ({"kind": "paste", "value": "5 %"}, "is a percentage"),
        ({"kind": "paste", "value": "1\n2"}, "has 2 rows, and from here down there are 1"),
        ({"kind": "paste", "value": "1\t2", "months": ["2028-12"]}, "from Dec 28 on there are 1"),
        ({"kind": "back"}, "there is no case above it"),
        ({"kind": "adjust", "value": "-500 in total"}, "does not add up over months"),
        ({"kind": "dance"}, "something that is no edit"),
    ],
)
def test_bad_input_gets_its_sentence_and_the_model_stays(client, app, changed, said):
    sent = gesture(**{"value": "52", "reach": "on", "message_at": "editor", **changed})
    reply = client.post("/m/1/drivers/cells", data=sent, headers=HTMX)
    assert reply.status_code == 422
    assert said in reply.text
    assert "<html" not in reply.text
    assert reply.headers["HX-Retarget"] == "#editor-message"
    assert app.extensions["workspace"].store.revision(1) == 0


@pytest.mark.parametrize(
    ("formula", "said"),
    [
        ("kits_sold *", "ends too early"),
        ("kits_sold * kit_prce", "Did you mean kit_price"),
        ("kits_sold * kit_price + sum_over(kit_revenue)", "kit_revenue needs kit_revenue"),
        ("sum_over(kits_sold, planet)", "Expected a dimension"),
        ("", "The formula is empty"),
    ],
)
def test_a_bad_formula_is_placed_and_the_stored_one_stays(client, app, formula, said):
    data = {"line": "kit_revenue", "formula": formula, "seen": "0", "message_at": "editor"}
    reply = client.post("/m/1/drivers/formula", data=data, headers=HTMX)
    assert reply.status_code == 422
    assert said in reply.text
    assert app.extensions["workspace"].store.load(1).model.line("kit_revenue").formula == "kits_sold * kit_price"


def test_a_formula_of_mixed_units_is_used_and_flagged(client):
    data = {
        "line": "marketing",
        "formula": "marketing_share * revenue + headcount",
        "seen": "0",
        "back": "/m/1/drivers",
    }
    assert client.post("/m/1/drivers/formula", data=data).status_code == 303
    assert "This adds head to EUR; both must be in the same unit." in client.get("/m/1/drivers?focus=marketing").text
    assert "This adds head to EUR" in client.get("/m/1/drivers/formula?line=marketing", headers=HTMX).text


def test_a_good_formula_is_used_in_every_case(client):
    data = {"line": "marketing", "formula": "marketing_share * revenue + 100", "seen": "0", "back": "/m/1/drivers"}
    client.post("/m/1/drivers/formula", data=data)
    assert "marketing_share * revenue + 100" in client.get("/m/1/drivers?case=worst").text


@pytest.mark.parametrize("name", IN_MENU)
def test_a_division_by_zero_is_named_and_every_page_goes_on(client, name):
    data = {
        "line": "marketing",
        "formula": "marketing_share * revenue / (rent - 9200)",
        "seen": "0",
        "back": "/m/1/drivers",
    }
    assert client.post("/m/1/drivers/formula", data=data).status_code == 303
    reply = client.get(f"/m/1/{name}?ask=1&case=worst&since=0")
    assert reply.status_code == 200
    assert "n/a" in reply.text
    assert not re.search(r'="[^"]*\bnan\b', reply.text)
    roots = text_of(client.get("/m/1/roots?line=cash_after_overdraft&start=2026-08", headers=PANEL))
    assert "it begins at Marketing cost in Jan 26, where something is divided by 0" in roots


def test_a_data_file_that_cannot_be_written_is_said_with_a_503_and_the_edit_can_be_sent_again(client, monkeypatch):
    stranger = sqlite3.connect(client.store.engine.url.database, isolation_level=None)
    monkeypatch.setattr("widefork.store.writing.PAUSES", ())
    with client.store.engine.connect() as connection:
        connection.exec_driver_sql("PRAGMA busy_timeout=20")
    stranger.execute("BEGIN IMMEDIATE")
    reply = client.post("/m/1/drivers/cells", data=CELL, headers=HTMX)
    stranger.rollback()
    stranger.close()
    assert reply.status_code == 503
    assert "Another program holds the data file" in reply.text
    assert client.post("/m/1/drivers/cells", data=CELL, headers=HTMX).status_code == 303


def test_somebody_elses_edit_is_shown_beside_mine_to_choose(client):
    client.set_cookie("person", "Okan")
    client.post("/m/1/drivers/cells", data=CELL)
    client.set_cookie("person", "Ines")
    reply = client.post("/m/1/drivers/cells", data=gesture(value="55", reach="on"), headers=HTMX)
    assert reply.status_code == 409
    assert "Okan changed this meanwhile: Kit price, Coast: 50.47 to 52.00" in text_of(reply)
    assert "Yours: Kit price, Coast: 52.00 to 55.00" in text_of(reply)
    assert client.post("/m/1/drivers/cells", data=gesture(value="55", reach="on", despite="yes")).status_code == 303


@pytest.mark.parametrize(
    ("query", "said"),
    [
        ("target=lots", "Expected a number, got “lots”"),
        ("low=5&high=1", "has no width"),
        ("target=1,000", "can be read two ways"),
        ("target=900000&low=0&high=600000", "No amount in that range gets there"),
        ("figure=headcount_2027&target=40", "does not depend on Bridge loan: amount"),
        ("target=-400000", "Already there"),
    ],
)
def test_work_back_says_why_there_is_no_answer(client, query, said):
    page = text_of(client.get(f"/m/1/work_back?case=worst&ask=1&lever=bridge_loan_amount&{query}"))
    assert said in page


@pytest.mark.parametrize(
    ("share", "said"), [("ten", "Expected a number"), ("0", "above 0 %"), ("500", "at most 100 %")]
)
def test_swings_takes_a_sensible_share_only(client, share, said):
    assert said in client.get(f"/m/1/swings?share={share}").text


def test_figures_are_added_pinned_and_refused_in_words(client):
    new = {"label": "Kit revenue 2027", "line": "kit_revenue", "find": "sum", "first": "2027-01", "last": "2027-12",
           "seen": "0", "back": "/m/1/compare"}  # fmt: skip
    assert client.post("/m/1/compare/figures", data=new).status_code == 303
    assert client.post("/m/1/compare/figures/kit_revenue_2027", data={"do": "pin", "seen": "1"}).status_code == 303
    assert "watch-kit_revenue_2027" in client.get("/m/1/swings").text
    refused = client.post("/m/1/compare/figures", data={**new, "label": " "}, headers=HTMX)
    assert "A figure needs a name" in refused.text
    backwards = client.post("/m/1/compare/figures", data={**new, "first": "2028-01"}, headers=HTMX)
    assert "before it begins" in backwards.text


@pytest.mark.parametrize("amount", ["nan", "inf", "", "lots"])
def test_an_answer_that_is_no_amount_is_not_kept(client, app, amount):
    form = {"case": "worst", "figure": "Lowest cash", "lever": "bridge_loan_amount", "amount": amount, "seen": "0"}
    reply = client.post("/m/1/work_back/keep", data=form, headers=HTMX)
    assert reply.status_code == 422
    assert "Ask again" in reply.text
    assert app.extensions["workspace"].store.revision(1) == 0


def test_roots_is_a_panel_and_a_page(client):
    path = "/m/1/roots?line=revenue&start=2026-09&end=2026-09"
    assert "<html" not in client.get(path, headers=PANEL).text
    assert "<html" in client.get(path).text
    assert "sum_over(kit_revenue) + panel_revenue" in client.get(path).text


def test_roots_says_what_adds_to_a_figure_and_what_takes_away(client):
    roots = client.get("/m/1/roots?line=ebitda&start=2027-05&end=2027-05", headers=PANEL).text
    shown = [float(text.replace(",", "").replace("−", "-")) for text in re.findall(r"<td>([+−][\d,]+)</td>", roots)]
    answer = re.search(r'id="roots-answer">([−\d,]+)', roots)[1]
    assert len(shown) == 5
    assert min(shown) < 0 < max(shown)
    assert sum(shown) == pytest.approx(float(answer.replace(",", "").replace("−", "-")), abs=3)
    assert roots.count('fill="none" stroke=') == 4


@pytest.mark.parametrize(
    ("line", "opened"),
    [("kit_revenue", "focus=kit_revenue"), ("municipal_balance", "open=municipal"), ("revenue", None)],
)
def test_roots_leads_to_the_line_in_drivers_where_it_stands_there(client, line, opened):
    roots = client.get(f"/m/1/roots?line={line}&start=2026-09", headers=PANEL).text
    found = re.search(r'href="([^"]+)">Show it in Drivers', roots)
    assert (found is None) == (opened is None)
    if found:
        url, row = found[1].replace("&amp;", "&").split("#")
        assert opened in url
        assert f'id="{row}"' in client.get(url).text


def test_a_name_is_remembered_and_signs_the_log(client):
    client.post("/person", data={"name": "Thea", "back": "/m/1/log"})
    client.post("/m/1/drivers/cells", data=CELL)
    assert "Thea" in client.get("/m/1/log").text
    assert client.post("/person", data={"name": " "}).status_code == 422


def test_a_figure_that_does_not_move_says_from_which_share_on_it_does(client):
    page = text_of(client.get("/m/1/swings?figure=months_under&share=10"))
    assert "does not depend on any assumption" not in page
    assert re.search(
        r"depends on \d+ assumptions, but 10 % less or more of any one does not move it; at \d+ % one does", page
    )


def test_the_range_of_a_loan_is_of_the_companys_own_size(client):
    page = client.get("/m/1/work_back?figure=headcount_2027&lever=bridge_loan_amount").text
    high = re.search(r'name="high"[^>]*value="([^"]*)"', page) or re.search(r'value="([^"]*)"[^>]*name="high"', page)
    cash = client.workspace.now(1).results.series("cash_after_overdraft")
    assert abs(cash).max() <= float(high[1]) <= 3 * abs(cash).max()
