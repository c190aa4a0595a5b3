"""The log: filtered, leading to what an edit was about, and any one edit taken back."""

import re

import pytest

from tests.kit.gestures import gesture


@pytest.fixture
def edited(client):
    """Three edits: two people, two lines, two cases."""
    for who, rows, case, months, value in (
        ("Thea", [("kit_price", "Coast")], "base", ["2027-03"], "51"),
        ("Okan", [("rent", "")], "best", ["2027-05", "2027-06"], "9900"),
        ("Thea", [("rent", "")], "worst", ["2027-08"], "+100"),
    ):
        client.set_cookie("person", who)
        client.post("/person", data={"name": who, "back": "/m/1/log"})
        sent = gesture(rows=rows, case=case, months=months, value=value, reach="only", seen=str(client.revision()))
        assert client.post("/m/1/drivers/cells", data=sent).status_code == 303
    return client


def sentences(client, **asked):
    query = "&".join(f"{key}={value}" for key, value in asked.items())
    table = client.get(f"/m/1/log?{query}").text.partition('id="log"><thead>')[2].partition("</table>")[0]
    return re.findall(r'<td class="l">(\d+)</td>', table)


@pytest.mark.parametrize(
    ("asked", "found"),
    [
        ({}, ["3", "2", "1"]), ({"who": "Thea"}, ["3", "1"]), ({"line": "rent"}, ["3", "2"]),
        ({"line": "Rent", "in": "best"}, ["2"]), ({"in": "base"}, ["1"]), ({"month": "Jun 27"}, ["2"]),
        ({"month": "2027-08", "who": "Thea"}, ["3"]), ({"month": "Jan 26"}, []),
    ],
)  # fmt: skip
def test_edits_are_found_by_who_line_case_and_month(edited, asked, found):
    assert sentences(edited, **asked) == found


def test_a_month_that_is_none_is_said_and_every_edit_leads_to_its_row(edited):
    page = edited.get("/m/1/log?month=soon").text
    assert re.search(r'id="log-fault" role="alert">[^<]+<', page)
    page = edited.get("/m/1/log").text
    assert "focus=kit_price#row-kit_price-Coast" in page.replace("&amp;", "&")
    assert "case=best&amp;from=2026-04" in page
    assert "+100, 8,600 to 8,700" in page or re.search(r"Rent: \+100, [\d,]+ to [\d,]+ in Aug 27 in Worst", page)


def test_any_edit_that_nothing_later_touches_is_taken_back_whoever_made_it(edited):
    before = edited.model()
    reply = edited.post("/m/1/log/back", data={"revision": "2", "back": "/m/1/log"})
    assert reply.status_code == 303
    assert [step for step in edited.model().case("best").steps if getattr(step, "line", "") == "rent"] == []
    assert edited.model().case("worst") == before.case("worst")
    assert "took back: Rent" in edited.get("/m/1/log").text
    # It is an edit of the one who took it back, and can so be undone.
    edited.post("/m/1/undo", data={"back": "/m/1/log"})
    assert edited.model() == before


def test_what_was_changed_since_stays_and_says_why(edited):
    sent = gesture(rows=[("kit_price", "Coast")], months=["2027-03"], value="52", reach="only",
                   seen=str(edited.revision()))  # fmt: skip
    edited.post("/m/1/drivers/cells", data=sent)
    before = edited.model()
    for number, said in (("1", "changed since"), ("99", "There is no edit 99"), ("x", "lost track")):
        reply = edited.post(
            "/m/1/log/back", data={"revision": number, "back": "/m/1/log"}, headers={"HX-Request": "true"}
        )
        assert reply.status_code in (409, 422), number
        assert said in reply.text
    assert edited.model() == before


SETTINGS_FORMS = [
    ("terms/change", {"schedule": "kit_customers", "label": "Kit customers", "days": "40"},
     "Kit customers: days until customers pay 47 to 40"),
    ("terms/change", {"schedule": "kit_customers", "label": "Kits", "method": "simple"},
     "now called Kits, how it is reckoned days, counted back over invoices to the month's flow × days / 30"),
    ("terms/asset", {"schedule": "lab_assets", "member": "Van 1", "label": "Van 1", "life_months": "61"}, "months "),
    ("terms/opening", {"share_capital": "1"}, "Opening balance sheet: Share capital "),
    ("frame/model", {"name": "Quill"}, "The model is now called Quill, before Quillmere Water Labs"),
    ("frame/timeline", {"months": "48"}, "The model ends in Dec 29, before in Dec 28"),
    ("frame/change_profile", {"profile": "analyst_ramp", "label": "Ramp", "amounts": "0 50 100"}, " to 0 %, 50 %, 1"),
    ("frame/change_flag", {"flag": "sampling_season", "label": "Sampling season", "months": "Jun, Jul"},
     "marks Jun, Jul, before "),
    ("frame/unit", {"unit": "panels", "decimals": "1"}, "Unit panels: 1 decimal, before spelled and shown as usual"),
    ("waterline/level", {"level": "5000"}, "Lowest level allowed: what the overdraft allows to 5000"),
    ("waterline/days", {"line": "staff_payments", "days": "25"}, "on day 25, before on its usual days"),
]  # fmt: skip


@pytest.mark.parametrize(("where", "form", "said"), SETTINGS_FORMS)
def test_a_form_of_settings_says_what_was_and_what_became(client, where, form, said):
    sent = {"seen": str(client.revision()), "back": "/m/1/log", "case": "base", **form}
    reply = client.post(f"/m/1/{where}", data=sent, headers={"HX-Request": "true"})
    assert reply.status_code == 303, reply.text
    sentence = client.workspace.store.log(1)[0].sentence
    assert said in sentence
    assert re.search(r"\S to \S|, before \S", sentence)
