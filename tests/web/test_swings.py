"""Swings: the ranking and its curve, two at once, the bench, and what they put into sketches, cases and ranges."""

import csv
import io
import re
from urllib.parse import quote

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.kit.desk import done, refused
from widefork.core.analysis.figures import answer
from widefork.core.changes import Change, Operation
from widefork.core.engine import evaluate

SIDES = "&across=Kits ordered&across_span=-20 %25 to %2B20 %25&down=Kit price&down_span=40 to 60"
SQUARE = f"?view=two&figure=lowest_cash{SIDES}"


@pytest.fixture
def client(client):
    return client.begin("swings", message_at="swings")


def figure_with(client, figure, *changes, case="base"):
    """A figure of the plan as it stands with some changes on top, worked out apart."""
    plan = client.plan()
    results = evaluate(plan, [(*plan.model.changes_of(case), *changes)])
    return float(answer(plan.model.figure(figure), results).amounts[0])


def shown(text):
    return float(text.replace(",", "").replace("−", "-"))


def bars(page):
    """What every bar says, by assumption: {label: (down, up)} in the figure's unit."""
    rows = re.findall(r'scope="row">.*?<a [^>]*>([^<]+)</a>.*?aria-label="([^"]+)"', page, re.DOTALL)
    found = {}
    for label, said in rows:
        effects = re.findall(r": ([+−][\d,]+|same|no answer), ", said)
        found[label] = tuple(0.0 if effect == "same" else shown(effect) for effect in effects)
    return found


@pytest.mark.parametrize(("way", "ends"), [("share", (0.9, 1.1)), ("range", (0.92, 1.05))])
def test_a_bar_is_what_the_plan_says_at_both_ends(client, way, ends):
    now = figure_with(client, "ebitda_2027")
    expected = [figure_with(client, "ebitda_2027", Change("kit_price", Operation.SCALE, end)) - now for end in ends]
    found = bars(client.read(f"?figure=ebitda_2027&by_way={way}"))
    assert found["Kit price"] == (pytest.approx(expected[0], abs=1), pytest.approx(expected[1], abs=1))


def test_those_without_a_range_are_listed_by_section_and_take_one_at_once_or_each_its_own(client):
    page = client.read("?figure=ebitda_2027&by_way=range")
    before = int(re.search(r"(\d+) have no range, so they are not ranked", page)[1])
    assert "Team plan: salary a month" not in bars(page)
    form = {"figure": "ebitda_2027", "by_way": "range", "section": "staff", "percent": "10"}
    done(client.send("ranges", **form))
    model = client.plan().model
    given = model.line("staff_salary").plausible
    assert (given.low, given.likely, given.high, given.is_relative) == (-0.1, 0.0, 0.1, True)
    page = client.read("?figure=ebitda_2027&by_way=range&all=yes")
    assert "Team plan: salary a month" in bars(page)
    assert int(re.search(r"(\d+) have? ?h?a?s? ?no range", page)[1]) < before
    done(client.send("ranges", name=["hours_per_kit", "rent"], range=["0.25 to 0.4", "−5 % to +5 %"]))
    assert client.plan().model.line("hours_per_kit").plausible.high == 0.4


@pytest.mark.parametrize(
    ("form", "said"),
    [
        ({"section": "staff", "percent": "0"}, "above 0 and at most 100"),
        ({"section": "staff", "percent": "lots"}, "Expected a number"),
        ({"section": "nowhere", "percent": "10"}, "All of them are 0 now"),
        (
            {"name": ["rent"], "range": ["9 to 5"]},
            "Rent: A range goes from the lower to the higher amount; got “9 to 5”",
        ),
        ({"name": ["staff_salary"], "range": [""]}, "No range was typed"),
    ],
)
def test_ranges_that_cannot_be_say_what_was_expected(client, form, said):
    before = client.plan().model.line("rent").plausible
    refused(client.send("ranges", message_at="ranges", **form), said)
    assert client.plan().model.line("rent").plausible == before


def test_rows_are_chosen_by_section_and_by_who_gave_the_reason(client):
    everything = bars(client.read("?figure=ebitda_2027&all=yes"))
    section = client.plan().model.line("kit_price").section
    some = bars(client.read(f"?figure=ebitda_2027&all=yes&section={section}"))
    assert {"Kit price"} <= set(some) < set(everything)
    nobody = bars(client.read("?figure=ebitda_2027&all=yes&who=-"))
    labels = {line.label for line in client.plan().model.lines if not line.note}
    assert set(nobody) <= labels


def test_members_stand_apart_and_lines_hang_together(client):
    apart = bars(client.read("?figure=ebitda_2027&apart=yes&all=yes"))
    assert {"Kits ordered, Coast", "Kits ordered, Valley"} <= set(apart)
    joined = client.read("?figure=ebitda_2027&together=kit_price%2Bpanel_fee&line=kit_price%2Bpanel_fee")
    assert "Kit price with 1 more" in bars(joined)
    assert "apart again" in joined
    both = [Change(name, Operation.SCALE, 1.1) for name in ("kit_price", "panel_fee")]
    up = figure_with(client, "ebitda_2027", *both) - figure_with(client, "ebitda_2027")
    assert bars(joined)["Kit price with 1 more"][1] == pytest.approx(up, abs=1)


def test_the_curve_meets_the_goal_where_the_plan_does_and_names_its_bends(client):
    page = client.read("?figure=ebitda_2027&by_way=range&line=kits_ordered&goal=300000")
    met = re.search(r">([+−][\d.]+) %, goal met</td><td>([\d,]+)", page)
    factor = 1 + shown(met[1]) / 100
    assert shown(met[2]) >= 300000
    assert figure_with(client, "ebitda_2027", Change("kits_ordered", Operation.SCALE, factor - 0.002)) < 300000
    assert "Share of kits the lab can test" in page
    assert "is passed nowhere between the ends" in client.read("?figure=ebitda_2027&line=kits_ordered&goal=90000000")


def test_a_month_is_a_goal_too(client):
    page = client.read("?figure=break_even&sense=at+most&goal=Sep+27")
    assert re.search(r"(None|One|\d+) reach(es)? at most Sep 27 by", page)
    assert "is neither" in client.read("?figure=break_even&goal=400")


def test_a_place_on_the_curve_goes_into_a_sketch_and_the_next_takes_its_place(client):
    question = {"figure": "ebitda_2027", "by_way": "share", "share": "10", "line": "kit_price"}
    before = client.read("?figure=ebitda_2027&line=kit_price")
    done(client.send("try", amount="1.05", **question))
    done(client.send("try", amount="1.02", **question))
    page = client.read("?figure=ebitda_2027&line=kit_price")
    assert "1 tried: Swings: Kit price +2 %" in page
    assert bars(page) == bars(before)  # the page stands on what it was tried from
    refused(client.send("try", amount="nan", **question), "got lost on the way")
    refused(client.send("try", amount="1", **{**question, "line": "x"}), "no longer in the ranking")


def test_every_cell_is_the_plan_with_both(client):
    page = client.read(SQUARE + "&goal=300000")
    cells = dict(re.findall(r'aria-label="(Kits ordered [^"]+?): [^":]+"[^>]*>([^<]+)<', page))
    assert len(cells) == 11 * 11
    for kits, price in ((0.8, 40.0), (1.2, 60.0), (1.0, 50.0)):
        words = f"Kits ordered {(kits - 1) * 100:+.0f} %".replace("-", "−").replace("+0", "0")
        text = next(text for label, text in cells.items() if label.startswith(f"{words}, Kit price {price:.2f}"))
        both = Change("kits_ordered", Operation.SCALE, kits), Change("kit_price", Operation.SET, price)
        assert shown(text) == pytest.approx(figure_with(client, "lowest_cash", *both), abs=1)


def test_all_places_are_sent_as_csv_and_small_for_every_case(client):
    rows = list(csv.reader(io.StringIO(client.get("/m/1/swings/square.csv" + SQUARE).text)))
    assert (len(rows), len(rows[0])) == (42, 42)
    assert rows[0][0] == "Kit price / Kits ordered"
    values = np.array([[float(value) for value in row[1:]] for row in rows[1:]])
    assert np.isfinite(values).all()
    small = client.get("/m/1/swings/small" + SQUARE + "&of=worst&goal=0").text
    assert "Worst" in small
    assert re.search(r"\d+ of 100 places meet it|Met (every|no)where", small)
    assert client.get("/m/1/swings/small" + SQUARE + "&of=nobody").status_code == 404


@pytest.mark.parametrize(
    ("query", "said"),
    [
        ("across=Kit price&across_span=60 to 40", "has no width"),
        ("across=Nothing", "There is no line “Nothing”"),
        ("across=Kit price&down=Kit price", "cannot go both ways"),
        ("goal=much", "Expected a number"),
        ("goal=10 %25", "not in per cent"),
    ],
)
def test_squares_that_cannot_be_say_why(client, query, said):
    page = client.read(f"?view=two&figure=lowest_cash&{query}")
    assert said in page


def test_a_cell_goes_into_a_sketch(client):
    form = {"figure": "lowest_cash", "across": "Kits ordered", "across_span": "-20 % to +20 %", "down": "Kit price",
            "down_span": "40 to 60"}  # fmt: skip
    done(client.send("cell", cell="40.0", **form))
    page = client.read(SQUARE + "&cell=40.0")
    assert "1 tried: Swings: Kits ordered −20 %, Kit price 60.00" in page
    both = Change("kits_ordered", Operation.SCALE, 0.8), Change("kit_price", Operation.SET, 60.0)
    assert f"{figure_with(client, 'lowest_cash', *both):,.0f}" in page
    refused(client.send("cell", cell="99.1", **form), "not in the square")


LEVERS = {"lever": ["kit_price", "kit_materials_price"], "typed": ["+4 %", "15"], "at": ["100", "50"]}
BOTH = Change("kit_price", Operation.SCALE, 1.04), Change("kit_materials_price", Operation.SET, 15.0)


def test_levers_show_the_strip_before_and_with_them(client):
    query = "&".join(f"{key}={quote(value)}" for key, values in LEVERS.items() for value in values)
    piece = client.get(f"/m/1/swings/tried?case=base&{query}").text
    assert f"{figure_with(client, 'lowest_cash', *BOTH):,.0f}" in piece
    assert f"{figure_with(client, 'lowest_cash'):,.0f}" in piece
    assert "Kit price +4 %, Reagents and bottles 15.00" in piece
    sliders = client.get("/m/1/swings/tried?case=base&lever=kit_materials_price&typed=&at=200").text
    assert "Reagents and bottles 14.80" in sliders  # the high end of its range
    odd = client.get("/m/1/swings/tried?case=base&lever=kit_price&typed=abc&at=1&lever=nothing").text
    assert "Expected a number, got “abc”" in odd


@pytest.mark.parametrize("do", ["keep", "case", "sketch"])
def test_levers_are_kept_made_a_case_or_sketched(client, do):
    expected = figure_with(client, "lowest_cash", *BOTH)
    done(client.send("levers", do=do, label="Dearer", **LEVERS))
    case = "dearer" if do == "case" else "base"
    if do == "sketch":
        assert f"{expected:,.0f}" in client.read("?view=bench")
    else:
        assert figure_with(client, "lowest_cash", case=case) == pytest.approx(expected)


@pytest.mark.parametrize(
    ("form", "said"),
    [
        ({"lever": ["kit_price"], "typed": ["+0 %"], "at": ["100"]}, "No lever is pulled"),
        ({"lever": ["kit_price"], "typed": ["zzz"], "at": ["100"]}, "Expected a number"),
        ({**LEVERS, "do": "case", "label": " "}, "Give the case a name"),
    ],
)
def test_levers_that_cannot_be_kept_say_why(client, form, said):
    refused(client.send("levers", message_at="bench", **{"do": "keep", **form}), said)


def test_at_most_eight_levers_are_on_the_bench(client):
    names = [line.name for line in client.plan().model.lines if line.is_assumption][:10]
    page = client.read("?view=bench&" + "&".join(f"lever={name}" for name in names))
    assert "8 of up to 8" in page
    assert "The bench is full" in page


def test_a_model_without_a_figure_says_where_one_is_made(client):
    for figure in client.plan().model.figures:
        seen = str(client.revision())
        client.post(f"/m/1/compare/figures/{figure.name}", data={"do": "remove", "seen": seen, "back": "/m/1/swings"})
    for tab in ("", "?view=two", "?view=bench"):
        assert client.get("/m/1/swings" + tab).status_code == 200
    assert "There is no figure to watch yet" in client.read("")


def test_swings_by_hand(page, address):
    page.goto(f"{address}/m/1/swings?figure=ebitda_2027&by_way=range&goal=300000")
    chosen = page.locator("#swings tr.chosen")
    expect(chosen.locator("i")).to_have_text("1")
    page.keyboard.press("ArrowDown")
    expect(chosen.locator("i")).to_have_text("2")
    second = chosen.locator("a").inner_text()
    page.keyboard.press("ArrowRight")
    expect(page.locator("#walk-words")).to_contain_text("FY27 EBITDA")
    page.keyboard.press("Control+Enter")
    expect(page.locator("#latest")).to_contain_text(f"Swings: {second}")
    page.keyboard.press("F2")
    expect(page.locator(".range-field").first).to_be_focused()
    page.locator("h2").first.click()
    page.get_by_role("link", name="Two at once with").click()
    expect(page.locator("#square td.today")).to_be_visible()
    page.locator("#square td button").first.focus()
    page.keyboard.press("Home")
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Enter")
    expect(page.locator("#square td.chosen")).to_be_visible()
    expect(page.locator(".small-square .small-map")).to_have_count(4)
    page.get_by_role("link", name="Bench").click()
    page.locator("#levers [type=range]").first.focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator("#levers-said")).to_contain_text("+")
    page.locator("#drop-levers").click()
    expect(page.locator("#levers-said")).to_have_text("All levers stand as planned.")
