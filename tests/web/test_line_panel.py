"""Lines described in the browser: every field is read or refused in words, and the row shows it."""

import re
from dataclasses import replace

import pytest

from tests.kit.desk import HTMX
from widefork.core.look import Emphasis, Look, PlausibleRange, Scale, Tint
from widefork.web.shared.formats import line_cell, typed


def line(client, name):
    return client.model().line(name)


def save(client, which, /, **form):
    now = line(client, which)
    usual = {
        "line": which, "label": now.label, "unit": now.unit, "note": now.note, "section": now.section,
        "posts_to": now.posts_to, "seen": str(client.revision()), "back": "/m/1/drivers",
    }  # fmt: skip
    return client.post("/m/1/drivers/line", data={**usual, **form}, headers=HTMX)


def test_a_panel_left_alone_changes_nothing(client):
    for name in ("kit_price", "kit_revenue", "rent", "analysts_leaving_share"):
        if name in client.model().line_by_name:
            now = line(client, name)
            page = client.get(f"/m/1/drivers/line?line={name}").text
            assert f'value="{now.name}"' in page
            save(client, name, range=_range(now.plausible))
            assert line(client, name) == now


def _range(plausible):
    return "" if plausible is None else f"{plausible.low * 100} % to +{plausible.high * 100} %"


def test_all_a_panel_can_say_is_kept_and_told_in_the_log(client):
    reply = save(
        client, "rent", label="Rooms", unit="EUR", note="The lease.", range="9000 to 13000, likely 9200", decimals="1",
        scale="thousands", emphasis="strong", tint="sand", space_above="yes", posts_to="administration_costs",
    )  # fmt: skip
    assert reply.status_code == 303
    rent = line(client, "rent")
    assert rent.look == Look(1, Scale.THOUSANDS, Emphasis.STRONG, Tint.SAND, True)
    assert rent.plausible == PlausibleRange(9000, 9200, 13000)
    assert (rent.label, rent.note, rent.posts_to) == ("Rooms", "The lease.", "administration_costs")
    said = client.store.log(1)[0].sentence
    assert said == "Rent: now called Rooms, its reason, its range, its looks, posts to administration_costs"
    page = client.get("/m/1/drivers?focus=rent&from=2026-07&to=2026-09").text
    assert "is-strong tint-sand spaced" in page
    assert ">9.2</td>" in page


def test_another_name_in_formulas_is_followed_everywhere(client):
    save(client, "rent", name="rooms")
    assert "rooms" in client.model().line_by_name
    assert client.get("/m/1/drivers?focus=rooms").text.count('id="row-rooms"') == 1


@pytest.mark.parametrize(
    ("form", "said"),
    [
        ({"label": " "}, "1 to 80 letters"), ({"label": "x" * 81}, "got 81"), ({"name": "Rent"}, "lower-case words"),
        ({"name": "software"}, "names are used once"), ({"decimals": "two"}, "how many decimals"),
        ({"decimals": "9"}, "0 to 6 decimals"), ({"scale": "dozens"}, "Expected the scale"),
        ({"tint": "yellow"}, "Expected the tint"), ({"range": "5"}, "Expected a range like"),
        ({"over_time": "ratio", "over_members": "sum"}, "name the one above"), ({"posts_to": "nowhere"}, "caption"),
        ({"section": "nowhere"}, "section"),
        ({"over_time": "ratio", "over_members": "sum", "numerator": "x", "denominator": "y"}, "x"),
    ],
)  # fmt: skip
def test_what_a_panel_cannot_say_is_refused_and_nothing_changes(client, form, said):
    before = client.store.load(1)
    reply = save(client, "rent", **form, message_at="panel")
    assert reply.status_code in (404, 422)
    assert said in reply.text
    assert reply.headers["HX-Retarget"] == "#panel-message"
    assert client.store.load(1) == before


def test_what_needs_a_line_is_listed_before_it_is_deleted(client):
    page = client.get("/m/1/drivers/line?line=kit_price").text
    assert "need it: Kit revenue" in page
    reply = client.post("/m/1/drivers/line/remove", data={"line": "kit_price", "seen": "0"}, headers=HTMX)
    assert "is needed by Kit revenue" in reply.text


@pytest.mark.parametrize("doing", ["copy", "up", "down", "remove"])
def test_what_is_done_with_a_line_is_undone(client, doing):
    before = client.model()
    name = "software" if doing != "remove" else "accreditation_fee"
    if name not in before.line_by_name:
        client.post("/m/1/drivers/line", data={"label": "Spare", "section": "kits", "seen": "0"})
        before, name = client.model(), "spare"
    reply = client.post(f"/m/1/drivers/line/{doing}", data={"line": name, "seen": "9"}, headers=HTMX)
    assert reply.status_code == 303, reply.text
    assert client.model() != before
    client.post("/m/1/undo", data={"back": ""})
    assert client.model() == before


def test_a_calculated_line_is_given_and_calculated_again(client):
    formula = line(client, "marketing").formula
    client.post("/m/1/drivers/line/given", data={"line": "marketing", "seen": "0"})
    assert line(client, "marketing").is_assumption
    client.post("/m/1/drivers/formula", data={"line": "marketing", "formula": formula, "seen": "1"})
    assert line(client, "marketing").formula == formula
    assert not line(client, "marketing").is_assumption


def test_a_formula_is_tried_before_it_is_used(client):
    def tried(text):
        data = {"line": "marketing", "formula": text, "month": "2027-03"}
        return client.post("/m/1/drivers/formula/try", data=data).text

    assert "Mar 27:" in tried("marketing_share * revenue * 2")
    assert "Did you mean revenue" in tried("marketing_share * revenu")
    assert "^" in tried("marketing_share * * revenue")
    assert "adds head to EUR" in tried("marketing_share * revenue + headcount")
    assert "marketing needs" in tried("marketing * 2")
    assert "The formula is empty" in tried(" ")
    assert client.store.revision(1) == 0


def test_completion_knows_lines_functions_counters_flags_profiles_and_dimensions(client):
    words = {word["name"]: word for word in client.get("/m/1/drivers/words").get_json()}
    assert words["kit_price"] == {
        "name": "kit_price",
        "label": "Kit price",
        "aside": "EUR/kit, by region",
        "kind": "line",
    }
    assert {"sum_over()", "month_of_year", "sampling_season", "analyst_ramp", "region"} <= set(words)


@pytest.mark.parametrize(
    ("look", "unit", "value", "shown"),
    [
        (Look(), "EUR", 12345.6, "12,346"), (Look(2), "EUR", 12345.6, "12,345.60"),
        (Look(None, Scale.THOUSANDS), "EUR", 12345.6, "12"), (Look(1, Scale.THOUSANDS), "EUR", -12345.6, "−12.3"),
        (Look(2, Scale.MILLIONS), "EUR", 12345678.0, "12.35"), (Look(0), "%", 0.041, "4"),
        (Look(2), "%", 0.041, "4.10"),
        (Look(0, Scale.PERCENT), "", 0.5, "50"), (Look(3), "EUR", 0.0, "–"), (Look(3), "EUR", float("nan"), "n/a"),
    ],
)  # fmt: skip
def test_a_row_is_written_as_its_look_asks_while_its_value_stays(look, unit, value, shown, client):
    assert line_cell(value, replace(line(client, "rent"), unit=unit, look=look)) == shown


@pytest.mark.parametrize(
    ("value", "unit", "text"),
    [
        (12345678901.25, "EUR", "12345678901.25"),
        (1e-7, "EUR", "0.0000001"),
        (0.1, "%", "10"),
        (1e18, "EUR", "1" + "0" * 18),
    ],
)
def test_what_is_typed_back_never_has_an_exponent(value, unit, text):
    assert typed(value, unit) == text


@pytest.mark.parametrize(
    ("asked", "first"),
    [("cash", "Cash"), ("kit pr", "Kit price"), ("worst", "Worst"), ("lookout", "Lookout"), ("ebitda", "EBITDA"),
     ("net profit", "Net profit")],
)  # fmt: skip
def test_what_is_asked_for_by_name_is_found_first(client, asked, first):
    page = client.get("/m/1/find", query_string={"q": asked, "page": "drivers", "case": "worst"}).text
    assert page.split("<b>")[1].split("</b>")[0] == first


def test_what_nobody_is_called_is_said(client):
    assert "Nothing here is called that" in client.get("/m/1/find?q=zzzz").text


def test_assumptions_nobody_explained_are_listed_until_somebody_does(client):
    page = client.get("/m/1/drivers?only=unjustified&focus=well_field_survey").text
    assert 'id="row-well_field_survey"' in page
    assert re.search(r"\d+ without a range: show all", page)
    save(client, "software", note="", range="")
    assert "assumptions, 1 unexplained" in client.get("/m/1/drivers").text
    client.store.undo(1, "Guest")
    assert 'id="row-rent"' not in page
    assert 'id="row-kit_price"' not in page
    assert 'id="row-kit_revenue"' not in page
    save(client, "well_field_survey", note="Done once.", range="29000 to 33000")
    assert 'id="row-well_field_survey"' not in client.get("/m/1/drivers?only=unjustified&focus=software").text


def test_sections_are_added_named_moved_and_removed_when_empty(client):
    def do(doing, **form):
        seen = str(client.revision())
        return client.post(f"/m/1/drivers/section/{doing}", data={"seen": seen, **form}, headers=HTMX)

    do("new", label="Courses")
    do("change", section="courses", label="Courses held", note="for water wardens")
    do("up", section="courses")
    sections = client.model().sections
    assert (sections[-2].label, sections[-2].note) == ("Courses held", "for water wardens")
    assert "for water wardens" in client.get("/m/1/drivers").text
    assert "still holds" in do("remove", section="kits").text
    assert do("remove", section="courses").status_code == 303
    assert do("dance", section="courses").status_code == 422


def test_a_section_comes_by_itself_when_it_is_scrolled_to(client):
    whole = client.get("/m/1/drivers?from=2026-07&to=2026-09").text
    name = re.findall(r'class="chapter unfilled" id="section-(\w+)"', whole)[-1]
    alone = client.get(f"/m/1/drivers/section?section={name}&from=2026-07&to=2026-09").text
    assert alone.count('class="chapter') == 1
    assert "<td id=" in alone
    shown = client.get("/m/1/drivers", headers={"X-Shown-Sections": name}).text
    assert 'class="chapter unfilled" id="section-kits"' in shown
    assert client.get("/m/1/drivers/section?section=nothing").text.strip() == ""


@pytest.mark.parametrize("label", ["Revenue", " cash ", "OPERATING PROFIT (EBIT)", "Net debt to cash"])
def test_a_new_line_called_like_a_row_of_the_statements_is_asked_back(client, label):
    form = {"label": label, "unit": "EUR", "section": "overheads", "seen": "0", "back": "/m/1/drivers"}
    reply = client.post("/m/1/drivers/line", data=form, headers=HTMX)
    if label == "Net debt to cash":  # only nearly so
        assert reply.status_code == 303
        return
    assert reply.status_code == 422
    assert "is a row of the statements, and formulas that say" in reply.text
    assert client.post("/m/1/drivers/line", data={**form, "name": "our_own_row"}, headers=HTMX).status_code == 303
    assert line(client, "our_own_row").label == " ".join(label.split())


def test_a_new_line_says_where_it_posts_and_the_watched_figures_move(client):
    page = client.get("/m/1/drivers/line?section=overheads").text
    assert '<select id="p-posts" name="posts_to">' in page
    form = {"label": "Fair stand", "unit": "EUR", "section": "overheads", "amount": "500", "seen": "0", "back": ""}
    before = client.workspace.now(1).results.series("ebitda")[-1]
    sent = {**form, "posts_to": "marketing_costs"}
    assert client.post("/m/1/drivers/line", data=sent, headers=HTMX).status_code == 303
    assert line(client, "fair_stand").posts_to == "marketing_costs"
    assert client.workspace.now(1).results.series("ebitda")[-1] == pytest.approx(before - 500)
    refused = client.post(
        "/m/1/drivers/line", data={**form, "label": "B", "posts_to": "nowhere", "seen": "1"}, headers=HTMX
    )
    assert refused.status_code == 422
