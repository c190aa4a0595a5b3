"""Roots as strips: every level adds up to what stands above it, and says in words what it shows."""

import re
from itertools import pairwise

import pytest
from werkzeug.datastructures import MultiDict

from tests.kit.desk import demo_workspace
from tests.kit.small import given, model_of
from widefork.core.axes import Month
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue, UnknownName
from widefork.web.pages.roots.page_view import build_page, build_pulls
from widefork.web.pages.roots.steps import Step, read_way, url_of, ways_to
from widefork.web.pages.roots.strips import STRIP_WIDTH, THAN, build_strips, can_split
from widefork.web.shared.address import read_address
from widefork.web.shared.context import View

MAY27 = Month(2027, 5)


@pytest.fixture(scope="module")
def workspace(tmp_path_factory):
    return demo_workspace(tmp_path_factory.mktemp("roots"))


@pytest.fixture
def view(workspace):
    snapshot = workspace.now(1)
    return View(
        snapshot=snapshot,
        before=None,
        address=read_address(MultiDict({"case": "worst"}), 1, "roots", snapshot.stored.model),
    )


def number(text):
    return float(re.sub(r"[^\d.−-]", "", text).replace("−", "-"))


def month(line, members=(), first=MAY27, last=MAY27):
    return Step(line=line, members=members, first=first, last=last)


def total(strip):
    inside = [number(segment.text) for segment in strip.segments]
    return sum(inside) + sum(number(text) for _, text, _ in strip.smaller)


@pytest.mark.parametrize(
    "step",
    [month("revenue"), month("ebitda"), month("kit_revenue"), month("revenue", last=Month(2027, 12)),
     month("cash_after_overdraft"), month("total_assets")],
)  # fmt: skip
def test_the_parts_of_a_sum_add_up_to_it_and_fill_the_strip(view, step):
    (strip,) = build_strips(view, [step], "")
    assert total(strip) == pytest.approx(number(strip.text), abs=0.6 * (len(strip.segments) + len(strip.smaller)))
    room = STRIP_WIDTH - (110 if strip.smaller else 0)
    assert sum(segment.width for segment in strip.segments) == pytest.approx(room, abs=1)
    assert all(segment.is_less == (number(segment.text) < 0) for segment in strip.segments)


def test_a_product_is_a_sentence_of_its_factors(view):
    (strip,) = build_strips(view, [month("kit_revenue", ("Coast",))], "")
    assert strip.sentence == "Kit revenue, Coast, May 27: 1,410 kits × 50.47 EUR/kit = 71,186 EUR"
    assert [segment.is_factor for segment in strip.segments] == [True, True]
    assert strip.formula == "kits_sold * kit_price"


def test_the_way_down_keeps_every_level_in_sight(view):
    way = [month("revenue"), month("kit_revenue"), month("kit_revenue", ("Coast",)), month("kit_price", ("Coast",))]
    strips = build_strips(view, way, "")
    assert [strip.title for strip in strips] == ["Revenue", "Kit revenue", "Kit revenue, Coast", "Kit price, Coast"]
    assert [any(s.is_chosen for s in strip.segments) for strip in strips[1:3]] == [True, True]
    assert strips[-1].segments == ()
    assert strips[-1].sentence.endswith("assumed")
    assert strips[0].close_url == ""
    again = read_way(view, "~".join(map(str, way[:-1])) + "~rubbish~x:y:z", way[-1])
    assert again == way
    assert url_of(view.address, way).count("~") + url_of(view.address, way).count("%7E") == 2


@pytest.mark.parametrize("than", THAN)
@pytest.mark.parametrize("line", ["ebitda", "kit_revenue", "cash_after_overdraft"])
def test_a_difference_is_split_among_its_parts(view, than, line):
    (strip,) = build_strips(view, [month(line)], than)
    if strip.text == "same":
        assert strip.segments == ()
        return
    assert total(strip) == pytest.approx(number(strip.text), abs=0.6 * (1 + len(strip.segments) + len(strip.smaller)))


def test_there_is_nothing_before_the_first_month(view):
    with pytest.raises(InvalidValue, match="nothing before to compare with"):
        build_strips(view, [month("ebitda", first=Month(2026, 1), last=Month(2026, 1))], "before")


@pytest.mark.parametrize("step", [month("no_such"), month("kit_price", ("Coast", "x")), month("kit_price", ("Cost",))])
def test_what_is_not_there_is_named(view, step):
    with pytest.raises(UnknownName):
        build_strips(view, [step], "")


def test_every_assumption_behind_a_figure_is_reached_by_a_way_of_direct_parts(view):
    plan = view.snapshot.plan
    names = plan.assumptions_behind("ebitda")
    ways = ways_to(view, month("ebitda"), names)
    assert set(ways) == set(names)
    for name, way in ways.items():
        assert way[0].line == "ebitda"
        assert way[-1].line == name
        for above, below in pairwise(way):
            assert below.line in plan.upstream([above.line])


def test_what_a_figure_hangs_on_most_is_ranked(view):
    pulls = build_pulls(view, month("ebitda"))
    assert [pull.share for pull in pulls] == sorted((pull.share for pull in pulls), reverse=True)
    assert pulls[0].share == 1
    assert {pull.is_less for pull in pulls} == {True, False}


def test_what_hangs_on_an_assumption_is_said_up_to_the_statements(view):
    page = build_page(view, [month("kit_price", ("Coast",))], "", "")
    assert ("Kit revenue") in dict(page.bottom.used_by)
    assert {"Revenue", "EBITDA", "Cash"} <= set(dict(page.bottom.reaches)["Statements"])
    assert page.bottom.can_try
    assert page.bottom.note


def test_trying_an_amount_is_a_sketch_and_shows_before_and_after_on_the_way_up(client):
    way = "ebitda::2027-05:2027-05~revenue::2027-05:2027-05"
    url = f"/m/1/roots?line=kit_price&at=Coast&start=2027-05&end=2027-05&case=worst&way={way}"
    sent = {"line": "kit_price", "at": "Coast", "case": "worst", "month": "2027-05", "value": "+10 %", "back": url}
    reply = client.post("/m/1/roots/try", data=sent)
    assert reply.status_code == 303
    assert client.application.extensions["workspace"].store.revision(1) == 0
    page = client.get(reply.location).text
    assert page.count('class="was"') >= 4
    assert "Sketch in Worst" in page
    assert "× 1.1 in Coast from May 27" in page


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        ({"value": ""}, "The cell is empty"), ({"line": "kit_revenue"}, "is not given here"),
        ({"at": "Cost"}, "is not given here"), ({"month": "2026-01"}, "history"),
        ({"month": "x"}, "A month is written"),
        ({"line": "hired", "at": "", "value": "5"}, "heads are whole"),
    ],
)  # fmt: skip
def test_what_cannot_be_tried_is_said(client, changed, said):
    sent = {"line": "kit_price", "at": "Coast", "case": "worst", "month": "2027-05", "value": "5", **changed}
    reply = client.post("/m/1/roots/try", data=sent, headers={"HX-Request": "true"})
    assert reply.status_code == 422
    assert said in reply.text


def test_a_view_is_kept_under_a_name_and_forgotten(client):
    here = "/m/1/roots?line=ebitda&start=2027-05"
    assert client.post("/m/1/roots/views", data={"name": "May", "query": here}).location == here
    assert ">May</a>" in client.get(here).text
    client.post("/m/1/roots/views", data={"name": "May", "query": here, "do": "forget"})
    assert ">May</a>" not in client.get(here).text
    assert client.post("/m/1/roots/views", data={"name": " ", "query": here}).status_code == 422


def test_a_formula_of_hundreds_of_names_scrolls_in_its_place(app, client):
    costs = [given(f"cost_number_{n}", 1, unit="EUR", posts_to="premises_costs") for n in range(80)]
    model_id = app.extensions["workspace"].store.create(model_of(*costs, given("fees", 9, unit="EUR")))
    query = "start=2026-02&end=2026-02"
    page = client.get(f"/m/{model_id}/roots?line=premises_costs&{query}").text
    assert 'data-long tabindex="0" role="group" aria-label="Formula"' in page
    assert page.count("data-long") == 2  # the formula of the strip, and what the line is made by
    assert "data-long" not in client.get(f"/m/{model_id}/roots?line=gross_profit&{query}").text


def roots(client, **asked):
    return client.get("/m/1/roots?" + "&".join(f"{key}={value}" for key, value in asked.items())).text


def test_what_a_case_adds_directly_is_part_of_the_sentence(client):
    """The demo's Worst adds 38 panels a month of backlog to what contracts give."""
    page = roots(client, case="worst", line="panels_wanted", start="2027-06", end="2027-06")
    said = re.search(r"Panels wanted, Jun 27: ([^<]+)<", page)[1]
    added = r"\+38 a third of the backlog is worked off"
    assert re.fullmatch(rf"[\d.]+ contracts × [\d.]+ panels/contract = [\d,]+, {added} = [\d,]+ panels", said), said


def test_ratios_say_divided_by_and_shares_of_small_parts_never_all_of_it(client):
    page = roots(client, case="base", line="ebitda_margin", start="2027-04", end="2027-04")
    assert re.search(r"EBITDA margin, Apr 27: [^<]+ ÷ [^<]+ = ", page)
    assert "smaller, 100 %" not in page
    assert "smaller, 0 %" not in page


def test_a_year_is_split_by_its_formula_too_and_the_pieces_add_up(client, demo_plan):
    year = {"start": "2027-01", "end": "2027-12"}
    months = roots(client, case="base", line="gross_profit", **year)
    assert "into months" in months
    pieces = roots(client, case="base", line="gross_profit", split="formula", **year)
    assert "by what its months are made of" in pieces
    results = evaluate(demo_plan, [()])
    total = {name: results.series(name)[12:24].sum() for name in ("revenue", "cost_of_sales", "gross_profit")}
    for name in ("revenue", "cost_of_sales"):
        assert f"{total[name]:,.0f}" in pieces
    assert total["revenue"] - total["cost_of_sales"] == pytest.approx(total["gross_profit"])


def test_no_sum_over_months_is_written_as_a_product(view):
    """Every line of the demo, split by its formula over the months of a range."""
    products = 0
    for line in view.snapshot.plan.model.lines:
        step = Step(line=line.name, members=(), first=Month(2026, 11), last=Month(2027, 3))
        if not can_split(line, step):
            continue
        (strip,) = build_strips(view, [step], "", "formula")
        assert " × " not in strip.sentence, strip.sentence
        for segment in strip.segments:
            if " × " in segment.label:
                products += 1
                assert segment.label.endswith(", month by month"), (line.name, segment.label)
    assert products > 10


def test_a_difference_is_taken_against_any_case_by_its_name(client):
    page = roots(client, case="worst", line="ebitda", start="2027-04", end="2027-04", than="case:best")
    assert "more or less than Base, its parent" in page
    assert "more or less than Best" in page
    assert re.search(r"in Best, [^<]+ in Worst: [+−]", page)
    assert "against Best, Apr 27" in page
    assert "what it is made of" in roots(client, case="worst", line="ebitda", start="2027-04", than="case:worst")


def test_what_a_line_reaches_is_folded_by_page(client):
    page = roots(client, case="base", line="kit_price", start="2027-04", end="2027-04")
    assert re.search(r"<summary>\d+ rows of Statements</summary>", page)
    assert re.search(r"<summary>\d+ rows? of Terms</summary>", page)
