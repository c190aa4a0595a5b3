"""Alternatives: two or three sets asked for, tried in all combinations, read, and a cell tried in a sketch."""

import re

import pytest
from playwright.sync_api import expect

from tests.kit.desk import done, refused
from widefork.core.changes import Switch, moved
from widefork.core.engine import evaluate

ASKED = "?view=alternatives&by=year&figure=lowest_cash&columns=one of Samplers"
FLU = "&rows=start of Flu wave, quick rebound: Nov 26; Feb 27&third=cases: Base; Worst"


@pytest.fixture
def client(client):
    return client.begin("cases", message_at="grid")


def cells(page):
    """The text of every cell, row by row, by what its button is called."""
    pattern = r'aria-label="([^"]+); try it in a sketch">(?:<i.*?</i>)?([^<]+)<'
    return dict(re.findall(pattern, page))


def test_before_anything_is_asked_what_there_is_is_tried(client):
    page = client.read("?view=alternatives")
    assert "one of Samplers" in page
    assert len(cells(page)) == 4 * 4  # as it is and three, in four cases
    assert "What one reads from it" in page


def test_a_cell_is_the_case_with_that_start_and_that_plan(client):
    page = client.read(ASKED + FLU)
    found = cells(page)
    assert len(found) == 2 * 4 * 2
    plan = client.plan()
    named = plan.model.move_by_name
    for case, name in (("base", "Base"), ("worst", "Worst")):
        for month in (named["flu_wave"].start, named["flu_wave"].start.plus(3)):
            for label, move in (("as it is", None), ("Fewer samplers", "fewer_samplers")):
                more = () if move is None else named[move].changes
                wave = moved(named["flu_wave"], Switch("flu_wave", month))
                values = evaluate(plan, [(*plan.model.changes_of(case), *wave, *more)], ["cash_after_overdraft"])
                lowest = values.series("cash_after_overdraft")[6:].min()
                key = next(k for k in found if k.startswith(f"{month.label}, {label}, {name}: "))
                assert found[key] == f"{lowest:,.0f}".replace("-", "−")


def test_members_stand_beside_the_whole_and_add_up_to_it(client):
    page = client.read(ASKED.replace("lowest_cash", "sum:ebitda") + "&rows=cases&split=region")
    assert all(f">{name}</th>" in page for name in ("Coast", "Valley", "Upland", "allocated to none"))
    block = re.search(r'<template id="block">(.*?)</template>', page, re.DOTALL)[1]
    for row in block.splitlines()[1:]:
        amounts = [float(text) for text in row.split("\t")[1:]]
        for column in range(4):
            assert sum(amounts[4 + column :: 4]) == pytest.approx(amounts[column])


def test_heads_and_profit_a_head_are_told_apart_by_region(client):
    query = "?view=alternatives&by=year&from=2027-01&to=2027-12&columns=one of Samplers&rows=cases&split=region"
    plan = client.plan()
    results = evaluate(plan, [plan.model.changes_of("base")])
    teams = plan.model.dimension_by_name["team"]
    coast = [place for place, team in enumerate(teams) if teams.attributes[team].get("region") == "Coast"]
    heads = results.values("staff_heads")[coast, 12:24, 0].sum(axis=0).mean()
    assert f"<span>{heads:,.1f}</span>" in client.read(query + "&figure=mean:staff_heads")
    sold = results.values("kit_revenue") - results.values("kit_materials")
    profit = sold[0, 12:24, 0].sum() / heads
    assert f"<span>{profit:,.2f}</span>" in client.read(query + "&figure=per_head:staff")


def test_measures_of_people_and_months_are_shown_as_what_they_are(client):
    page = client.read(ASKED.replace("lowest_cash", "first_profit") + "&rows=cases")
    assert re.search(r">(Apr|May|Feb) 2\d<", page)
    assert 'value="least" selected' in page
    assert re.search(r"behind least: by \d+ months? at most|never", page)
    page = client.read(ASKED.replace("lowest_cash", "per_head:staff") + "&rows=cases&from=2027-01&to=2027-12")
    plan = client.plan()
    values = evaluate(plan, [plan.model.changes_of("base")])
    heads = values.values("staff_heads").sum(axis=0)[12:24, 0].mean()
    assert f"{values.series('ebitda')[12:24].sum() / heads:,.2f}" in page


@pytest.mark.parametrize(
    ("query", "words"),
    [
        ("&columns=cases&rows=cases: Base; Best", "Only one set can be of cases"),
        ("&columns=one of Crews&rows=cases", "Crews"),
        ("&columns=cases: Base&rows=kit_price", "at least two alternatives"),
        ("&columns=kit_price: 1; 2; dear&rows=cases", "“dear” is no value"),
        ("&columns=cases&rows=kit_price&figure=lowest_cash&split=region", "no sum or mean of months"),
        ("&columns=cases&rows=kit_price&figure=sum:ebitda&split=seat", "told apart by"),
        ("&columns=kit_price: " + "; ".join(map(str, range(40))) + "&rows=rent: "
         + "; ".join(map(str, range(40))), "1,600 combinations"),
    ],
)  # fmt: skip
def test_what_cannot_be_tried_is_said_and_nothing_is_lost(client, query, words):
    page = client.read(f"?view=alternatives{query}")
    assert words in page
    typed = query.split("columns=")[1].split("&")[0].partition(":")[0]
    assert f'name="columns_lead" value="{typed}"' in page


def test_an_alternative_that_changes_nothing_is_named(client):
    page = client.read(
        "?view=alternatives&figure=revenue_2027&columns=moves: Short bridge loan; Price rise 6 %&rows=cases"
    )
    assert "as it is and Short bridge loan" in page
    assert "changes nothing here" in page


def test_a_cell_is_tried_in_a_sketch_in_place_of_the_one_before(client):
    client.set_cookie("person", "Ines")
    before = client.model()
    form = {"columns": "one of Samplers", "rows": "start of Flu wave, quick rebound: Nov 26; Feb 27",
            "third": "cases: Base; Worst", "figure": "lowest_cash"}  # fmt: skip
    reply = done(client.send("try", case="base", cell="1.2.1", **form))
    assert "case=worst" in reply.location
    assert "cell=1.2.1" in reply.location
    sketches = client.workspace.sketches
    assert set(sketches.of(1, "Ines").switches) == {Switch("flu_wave", before.move_by_name["flu_wave"].start.plus(3)),
                                                    Switch("fewer_samplers")}  # fmt: skip
    done(client.send("try", case="worst", cell="0.3.1", **form))
    state = sketches.of(1, "Ines")
    assert state.sentences == ("Alternatives: Nov 26, Far fewer samplers, Worst",)
    assert client.model() == before
    page = client.read("?case=worst&view=alternatives&figure=lowest_cash&columns=one of Samplers" + FLU)
    tried = evaluate(client.plan(), [client.workspace.now(1).sketched(state.layer).model.changes_of("worst")])
    lowest = tried.series("cash_after_overdraft")[6:].min()
    found = cells(page)
    key = next(k for k in found if k.startswith("Nov 26, Far fewer samplers, Worst: "))
    assert found[key] == f"{lowest:,.0f}".replace("-", "−")
    refused(client.send("try", case="base", cell="1.2.0", **form), "Your sketch is on Worst")
    refused(client.send("try", case="worst", cell="9.9.9", **form), "not in the table")
    refused(client.send("try", case="worst", cell="", **form), "not in the table")


def test_people_hand_their_plans_and_shocks_over(client):
    page = client.get("/m/1/people?show=shocks").text
    link = re.search(r'href="([^"]+view=alternatives[^"]+)"', page)[1].replace("&amp;", "&")
    there = client.get(link)
    assert there.status_code == 200
    assert "moves" in there.text
    assert "Flu, falls twice" in there.text


def test_a_grid_is_asked_read_and_a_cell_sketched_in_the_browser(page, address):
    page.goto(f"{address}/m/1/cases?view=alternatives&by=year")
    page.get_by_label("What becomes of").select_option("lowest_cash")
    page.get_by_label("what may happen", exact=True).fill("start of Flu, falls twice")
    page.get_by_label("values, what may happen").fill("Nov 26; Feb 27; May 27; Aug 27")
    page.get_by_label("and besides", exact=True).fill("strength of Flu, falls twice")
    page.get_by_label("values, and besides").fill("50 %; 100 %; 150 %")
    page.get_by_role("button", name="Try all").click()
    expect(page.locator("#alternatives tbody td button")).to_have_count(4 * 4 * 3)
    first = page.locator("#alternatives tbody td button").first
    first.focus()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowRight")
    shown = page.locator("#alternatives button:focus")
    text = shown.inner_text()
    shown.press("Enter")
    expect(page.locator("body")).to_contain_text("1 tried: Alternatives: Feb 27, Shared sampling crews, 50 %")
    expect(page.locator("td.chosen button")).to_have_text(text)
    page.get_by_role("link", name="turn the table").click()
    expect(page.get_by_label("what one can do", exact=True)).to_have_value("start of Flu, falls twice")


def test_a_shape_is_drawn_by_pointer_and_by_keys_in_the_browser(page, address):
    page.goto(f"{address}/m/1/cases?view=alternatives&by=year&columns=one of Samplers&rows=cases: Base; Worst")
    page.get_by_text("draw a shape").click()
    page.locator("#shape-line").fill("Kits ordered")
    page.locator("#shape-first").fill("2026-11")
    page.locator("#shape-name").fill("slow")
    box = page.locator("#shape-pad").bounding_box()
    page.mouse.move(box["x"] + 8, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + 24, box["y"] + box["height"] / 2, steps=2)
    page.mouse.up()
    page.locator("#shape-pad").focus()
    for key in ("ArrowRight", "ArrowDown", "ArrowDown"):
        page.keyboard.press(key)
    page.locator("#shape-add").click()
    expect(page.locator("input[name=third_lead]")).to_have_value("shape of Kits ordered from 2026-11")
    expect(page.locator("input[name=third_values]")).to_have_value("as it was = 100; slow = 75 75 90")
    page.get_by_role("button", name="Try all").click()
    expect(page.locator("#alternatives tbody td button")).to_have_count(4 * 2 * 2)
