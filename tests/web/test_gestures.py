"""What is done on the sheet becomes the edit a spreadsheet user means, whatever number of cells it is about."""

import re

import pytest

from tests.kit.gestures import gesture
from widefork.core.axes import Grain, Month, Period, Timeline
from widefork.core.engine import evaluate
from widefork.core.graph.model import Model
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, Section
from widefork.core.rules import RULES, read_rule
from widefork.web.pages.drivers.shape.last_year import read_last_year

MONTHS = ["2027-01", "2027-02", "2027-03"]
REGIONS = [("kit_price", "Coast"), ("kit_price", "Valley"), ("kit_price", "Upland")]


def done(client, **sent):
    reply = client.post("/m/1/drivers/cells", data=gesture(seen=str(revision(client)), **sent))
    assert reply.status_code == 303, reply.text
    return reply


def refused(client, **sent):
    reply = client.post(
        "/m/1/drivers/cells", data=gesture(seen=str(revision(client)), **sent), headers={"HX-Request": "true"}
    )
    assert reply.status_code == 422
    return reply.text


def revision(client):
    return client.store.revision(1)


def months_of(client, line, members=(), case="base", first="2027-01", count=3):
    plan = client.plan()
    results = evaluate(plan, [plan.model.changes_of(case)])
    start = Month.parse(first)
    periods = plan.model.timeline.periods(Grain.MONTH, start, start.plus(count - 1))
    return roll_up(results, line, periods, members)[:, 0].tolist()


def latest(client):
    return client.store.log(1)[0].sentence


def test_a_typed_number_holds_from_its_month_on_or_in_its_month_alone(client):
    done(client, rows=[("rent", "")], months=["2027-02"], value="9500", reach="on")
    assert months_of(client, "rent") == [9200, 9500, 9500]
    done(client, rows=[("rent", "")], months=["2027-02"], value="9300", reach="only")
    assert months_of(client, "rent") == [9200, 9300, 9500]
    assert latest(client) == "Rent: 9,500 to 9,300 in Feb 27 in Base"


def test_what_is_typed_over_a_range_is_set_in_all_of_it(client):
    done(client, rows=REGIONS, months=MONTHS, value="50")
    for _, region in REGIONS:
        assert months_of(client, "kit_price", (region,)) == [50, 50, 50]
    assert latest(client) == "Kit price, Coast and 2 more: 50.47 to 50.00 Jan 27 to Mar 27 in Base"


def test_a_pasted_block_is_one_edit_one_undo_and_reads_either_decimal_style(client):
    done(client, kind="paste", rows=REGIONS, months=MONTHS[:1], value="50,10\t51,20\n€ 44,00\t\n1.045,5\t2\n")
    assert months_of(client, "kit_price", ("Coast",), count=2) == [50.1, 51.2]
    assert months_of(client, "kit_price", ("Valley",), count=2) == pytest.approx([44.0, 48.41])
    assert months_of(client, "kit_price", ("Upland",), count=2) == [1045.5, 2.0]
    assert revision(client) == 1
    client.post("/m/1/undo", data={"back": ""})
    assert months_of(client, "kit_price", ("Coast",), count=2) == pytest.approx([50.47, 50.47])


def test_500_cells_are_one_edit(client):
    rows = [("rent", ""), ("software", ""), *REGIONS, ("courier_price", "")]
    rows = [row for row in rows if row[0] in client.model().line_by_name]
    block = "\n".join("\t".join(f"{100 + r * 30 + c}" for c in range(24)) for r in range(len(rows)))
    done(client, kind="paste", rows=rows, months=["2027-01"], value=block, case="best")
    assert revision(client) == 1
    assert months_of(client, "software", case="best", count=24)[23] == 100 + 30 + 23
    assert months_of(client, "software", count=24)[23] != 100 + 30 + 23


def test_one_cell_is_pasted_into_all_that_are_chosen(client):
    done(client, kind="paste", rows=REGIONS, months=MONTHS, value="47")
    assert {tuple(months_of(client, "kit_price", (region,))) for _, region in REGIONS} == {(47, 47, 47)}


def test_a_block_with_totals_in_it_can_be_pasted_back_and_a_changed_total_is_asked_about(client):
    rows = [("kit_price", "Coast"), ("kit_revenue", "")]
    now = months_of(client, "kit_revenue", count=1)[0]
    done(client, kind="paste", rows=rows, months=["2027-01"], value=f"50.47\n{now:.2f}".replace("50.47", "51"))
    text = refused(client, kind="paste", rows=rows, months=["2027-01"], value="52\n7")
    assert "calculated" in text
    assert 'data-offer="skip"' in text
    done(client, kind="paste", rows=rows, months=["2027-01"], value="52\n7", skip=True)
    assert months_of(client, "kit_price", ("Coast",), count=1) == [52]


def test_commas_that_could_be_either_are_asked_about_and_the_answer_is_used(client):
    text = refused(client, kind="paste", rows=[("rent", "")], months=["2027-01"], value="9,500")
    assert 'data-offer="mark:."' in text
    done(client, kind="paste", rows=[("rent", "")], months=["2027-01"], value="9,500", mark=".")
    assert months_of(client, "rent", count=1) == [9500]


def test_filling_right_and_down_copies_the_first_cell_of_each_row_or_column(client):
    done(client, rows=[("rent", "")], months=["2027-01"], value="9000", reach="only")
    done(client, kind="fill_right", rows=[("rent", "")], months=MONTHS)
    assert months_of(client, "rent") == [9000, 9000, 9000]
    done(client, kind="fill_down", rows=REGIONS, months=MONTHS)
    assert months_of(client, "kit_price", ("Upland",)) == months_of(client, "kit_price", ("Coast",))


def test_delete_is_0_in_the_root_and_back_to_the_root_elsewhere(client):
    done(client, rows=[("rent", "")], months=MONTHS, value="8000", case="best")
    done(client, kind="clear", rows=[("rent", "")], months=MONTHS[1:2], case="best")
    assert months_of(client, "rent", case="best") == [8000, 9200, 8000]
    done(client, kind="clear", rows=[("rent", "")], months=MONTHS[:1])
    assert months_of(client, "rent") == [0, 9200, 9200]
    assert "changes nothing" in refused(client, kind="paste", rows=[("rent", "")], months=MONTHS[:1], value="0")


@pytest.mark.parametrize(
    ("said", "wanted"),
    [
        ("+10 %", [10120, 10120, 10120]), ("-200 each", [9000, 9000, 9000]), ("set to 50", [50, 50, 50]),
        ("*2", [18400, 18400, 18400]), ("-2760 in total", [8280, 8280, 8280]), ("3000 in total", [1000, 1000, 1000]),
    ],
)  # fmt: skip
def test_chosen_cells_are_adjusted_by_percent_amount_or_total(client, said, wanted):
    done(client, kind="adjust", rows=[("rent", "")], months=MONTHS, value=said)
    assert months_of(client, "rent") == pytest.approx(wanted)


def test_a_total_is_spread_over_several_rows_in_proportion(client):
    rows = [("kits_ordered", region) for region in ("Coast", "Valley")]
    before = [sum(months_of(client, "kits_ordered", (region,))) for _, region in rows]
    done(client, kind="adjust", rows=rows, months=MONTHS, value="+300 in total")
    after = [sum(months_of(client, "kits_ordered", (region,))) for _, region in rows]
    assert sum(after) == pytest.approx(sum(before) + 300)
    assert after[0] / after[1] == pytest.approx(before[0] / before[1])


def test_actual_months_are_history_until_they_are_unlocked(client):
    assert "history" in refused(client, rows=[("rent", "")], months=["2026-03"], value="9900")
    done(client, rows=[("rent", "")], months=["2026-03"], value="9900", unlocked="1")
    assert months_of(client, "rent", first="2026-02") == [9200, 9900, 9200]
    assert months_of(client, "rent", first="2026-02", case="worst") == [9200, 9900, 9200]
    done(client, kind="paste", rows=[("rent", "")], months=["2026-06"], value="9100\t9000", unlocked="1")
    assert months_of(client, "rent", first="2026-06") == [9100, 9000, 9200]


def test_under_a_sketch_the_case_stays_and_back_means_as_it_was_before_the_sketch(client):
    client.post("/m/1/sketch/start", data={"case": "worst", "back": ""})
    done(client, rows=[("rent", "")], months=MONTHS, value="7000", case="worst")
    assert revision(client) == 0
    page = client.get("/m/1/drivers?case=worst&focus=rent&from=2027-01&to=2027-03").text
    assert "Sketch in Worst" in page
    assert 'data-v="7000"' in page
    assert 'data-v="7000"' not in client.get("/m/1/drivers?case=base&focus=rent&from=2027-01&to=2027-03").text
    assert "Your sketch is on Worst" in refused(client, rows=[("rent", "")], months=MONTHS, value="1", case="base")
    done(client, kind="back", rows=[("rent", "")], months=MONTHS[:2], case="worst")
    client.post("/m/1/sketch/keep", data={"way": "case", "seen": "0", "back": ""})
    assert months_of(client, "rent", case="worst") == [9200, 9200, 7000]
    assert "kept a sketch" in latest(client)


def test_the_model_itself_is_not_sketched(client):
    client.post("/m/1/sketch/start", data={"case": "base", "back": ""})
    data = {"line": "marketing", "formula": "1", "seen": "0"}
    for path, sent in (
        ("drivers/formula", data), ("drivers/line", {**data, "label": "x"}), ("drivers/section/new", {"label": "x"}),
        ("frame/model", {"name": "x"}), ("drivers/line/up", {"line": "rent"}),
    ):  # fmt: skip
        reply = client.post(f"/m/1/{path}", data=sent, headers={"HX-Request": "true"})
        assert "Keep or drop the sketch first" in reply.text


RULES_SAID = {
    "flat": "9500", "growth": "9200 rising 3 % a year from Jan 2027",
    "steps": "9200 from Jan 26, then 9800 from Mar 27",
    "points": "straight: 9200 in Jan 26, 10000 in Dec 27", "every": "18000 every 12 months from Mar 26",
}  # fmt: skip


@pytest.mark.parametrize("kind", RULES_SAID)
def test_a_rule_said_in_words_is_used_and_shown_again(client, kind):
    sent = {"line": "rent", "at": "", "case": "base", "phrase": RULES_SAID[kind], "seen": "0", "back": ""}
    assert client.post("/m/1/drivers/rule", data=sent).status_code == 303
    page = client.get("/m/1/drivers?shape=rent").text
    assert f'data-kind="{kind}"' in page
    assert "Guest" in page


def test_a_rule_in_a_case_changes_that_case_alone(client):
    sent = {"line": "rent", "at": "", "case": "best", "phrase": "8000", "seen": "0", "back": ""}
    client.post("/m/1/drivers/rule", data=sent)
    assert months_of(client, "rent", case="best") == [8000] * 3
    assert months_of(client, "rent") == [9200] * 3
    again = client.post("/m/1/drivers/rule", data={**sent, "seen": "1"}, headers={"HX-Request": "true"})
    assert "changes nothing" in again.text


def test_growth_from_the_first_month_holds_its_base_there(client):
    """From Jan 26, where the timeline begins; in a case from Jul 26, where the plan does; later months grow first."""
    sent = {"line": "rent", "at": "", "case": "base", "seen": "0", "back": ""}

    def rent(case="base"):
        plan = client.plan()
        return evaluate(plan, [plan.model.changes_of(case)]).series("rent")

    client.post("/m/1/drivers/rule", data={**sent, "phrase": "4000 rising 5 % a year from Jan 26"})
    assert [rent()[place] for place in (11, 12, 24)] == pytest.approx([4000, 4200, 4410])
    again = {**sent, "phrase": "4000 growing 5 % once a year from Jan 27", "seen": str(client.revision())}
    reply = client.post("/m/1/drivers/rule", data=again, headers={"HX-Request": "true"})
    assert rent()[12] == pytest.approx(4200), reply.text
    client.post("/m/1/drivers/rule", data={**again, "case": "best", "phrase": "4000 growing 1 % each month from Jul 26",
                "seen": str(client.revision())})  # fmt: skip
    assert rent("best")[6:9] == pytest.approx([4000, 4040, 4080.4])


def test_a_row_grows_on_last_years_actuals(client):
    months = Timeline(Month(2026, 1), 36, 1, Month(2026, 12))
    known = tuple(float(100 + month) for month in range(12))
    rules = {(): read_rule(RULES, 0)}
    fees = Line("fees", "Fees", "EUR", "a", rules=rules, actuals={(): known}, posts_to="revenue")
    model = Model("Steady", "EUR", months, sections=(Section("a", "A"),), lines=(fees,))
    model_id = client.workspace.store.create(model)
    sent = {"line": "fees", "at": "", "case": "base", "seen": "0", "back": "", "phrase": "last year + 6 %"}
    assert client.post(f"/m/{model_id}/drivers/rule", data=sent).status_code == 303
    plan = client.plan(model_id)
    fees = evaluate(plan).series("fees")
    assert fees[:12] == pytest.approx(known)
    assert fees[12:24] == pytest.approx([value * 1.06 for value in known])
    assert fees[24:] == pytest.approx([value * 1.06**2 for value in known])
    assert plan.model.line("fees_growth").label == "Fees: growth on last year"
    client.post(f"/m/{model_id}/undo", data={"back": "/"})
    assert client.model(model_id).line("fees").is_assumption
    short = client.post("/m/1/drivers/rule", data={**sent, "line": "rent"}, headers={"HX-Request": "true"})
    assert "no twelve months of actuals before Jul 26" in short.text
    elsewhere = {**sent, "line": "rent", "case": "best"}
    assert "said in the root case" in client.post("/m/1/drivers/rule", data=elsewhere).text


@pytest.mark.parametrize(("phrase", "rate"), [
    ("last year", 0), ("Last year growing 2.5 %", 0.025), ("last year − 3 %", -0.03), ("last year falling 4%", -0.04),
    ("5 last year", None), ("last year's rent", None),
])  # fmt: skip
def test_last_year_is_read_in_words(phrase, rate):
    assert read_last_year(phrase) == (None if rate is None else pytest.approx(rate))


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        ({"phrase": "often"}, "is no rule"),
        ({"kind": "growth", "f.base": "x"}, "Starting at: Expected a number"),
        ({"kind": "steps", "f.": "9200"}, "Expected an entry like"),
        ({"kind": "by_year", "f.": "27: 5"}, "Expected a fiscal year like FY27"),
        ({"kind": "dance"}, "Expected a kind of rule"),
        ({"line": "kit_revenue"}, "has a formula and no rule"),
        ({"line": "kit_price", "at": "Nowhere"}, "has no Nowhere"),
    ],
)
def test_a_rule_that_cannot_be_read_is_said_where_it_was_made(client, changed, said):
    sent = {"line": "rent", "at": "", "case": "base", "phrase": "1", "seen": "0", "message_at": "shape", **changed}
    reply = client.post("/m/1/drivers/rule", data=sent, headers={"HX-Request": "true"})
    assert reply.status_code == 422
    assert said in reply.text
    assert reply.headers["HX-Retarget"] == "#shape-message"


def test_an_answer_worked_back_is_kept_in_the_sketch_while_one_is_on(client):
    client.post("/m/1/sketch/start", data={"case": "worst", "back": ""})
    form = {"case": "worst", "figure": "Lowest cash", "lever": "bridge_loan_amount", "amount": "250000", "seen": "0"}
    assert client.post("/m/1/work_back/keep", data=form).status_code == 303
    assert revision(client) == 0
    assert "Bridge loan: amount 250,000 in Worst, worked back" in client.get("/m/1/lookout?case=worst").text


def test_actual_months_of_a_calculated_line_are_not_typed_over(client):
    sent = {"rows": [("panels_done", "")], "months": ["2026-03"], "value": "99", "unlocked": "1"}
    assert "its actual months cannot be changed here" in refused(client, case="worst", **sent)


@pytest.mark.parametrize("case", ["base", "worst"])
def test_the_whole_sheet_copied_and_pasted_back_changes_nothing(client, case):
    everything = ",".join(section.name for section in client.plan().model.sections)
    shown = {"X-Shown-Sections": everything}
    page = client.get(f"/m/1/drivers?case={case}&from=2026-07&to=2027-03", headers=shown).text
    rows = re.findall(r'<tr id="row-[^"]+" data-line="([^"]+)" data-at="([^"]*)"(.*?)</tr>', page, flags=re.S)
    assert len(rows) > 60
    block = "\n".join("\t".join(re.findall(r'data-v="([^"]*)"', cells)) for _, _, cells in rows)
    sent = {"rows": [(name, at) for name, at, _ in rows], "months": ["2026-07"], "value": block, "mark": "."}
    assert "changes nothing" in refused(client, kind="paste", case=case, **sent)


def test_what_is_said_under_a_cell_is_its_rule_its_reason_and_why_it_cannot_be_typed(client):
    def said(**query):
        return client.get("/m/1/drivers/cell", query_string={"case": "base", **query}).text

    price = said(line="kit_price", at="Coast", month="2027-03", case="worst")
    assert "Kit price, Coast" in price
    assert "49.00 growing 3 % once a year from Jan 27" in price
    assert "pharmacies accepted" in price
    assert "Base: 50.47" in price
    assert "data-refusal" not in price
    assert "Calculated. Change its formula" in said(line="kit_revenue", month="2027-03")
    assert "An actual month" in said(line="rent", month="2026-03")
    assert "data-refusal" not in said(line="rent", month="2026-03", unlocked="1")
    assert "caption or total" in said(line="revenue", month="2027-03", case="worst")
    assert "Did you mean Coast" in said(line="kit_price", at="Cost", month="2027-03")


def test_two_people_sketch_apart_on_the_same_case(client):
    for who, value in (("Ines", "7000"), ("Okan", "8000")):
        client.set_cookie("person", who)
        client.post("/m/1/sketch/start", data={"case": "worst", "back": ""})
        done(client, rows=[("rent", "")], months=MONTHS, value=value, case="worst")
    for who, value, other in (("Ines", "7000", "8000"), ("Okan", "8000", "7000"), ("Thea", "9200", "7000")):
        client.set_cookie("person", who)
        page = client.get("/m/1/drivers?case=worst&focus=rent&from=2027-01&to=2027-03").text
        assert f'data-v="{value}"' in page
        assert f'data-v="{other}"' not in page
    client.set_cookie("person", "Okan")
    client.post("/m/1/sketch/drop", data={"back": ""})
    client.set_cookie("person", "Ines")
    client.post(
        "/m/1/sketch/keep", data={"way": "move", "label": "Cheaper rooms", "on": "yes", "seen": "0", "back": ""}
    )
    model = client.model()
    assert model.move_by_name["cheaper_rooms"].start == Month(2027, 1)
    assert [switch.move for switch in model.case("worst").switches][-1] == "cheaper_rooms"
    assert months_of(client, "rent", case="worst") == [7000] * 3


def test_a_sketch_kept_as_a_move_that_is_not_on_changes_no_case(client):
    before = months_of(client, "rent", case="worst")
    client.post("/m/1/sketch/start", data={"case": "worst", "back": ""})
    done(client, rows=[("rent", "")], months=MONTHS, value="7000", case="worst")
    assert '<input type="checkbox" name="on" value="yes" checked>' in client.get("/m/1/drivers?case=worst").text
    client.post("/m/1/sketch/keep", data={"way": "move", "label": "Cheaper rooms", "seen": "0", "back": ""})
    model = client.model()
    assert model.move_by_name["cheaper_rooms"].changes
    assert "cheaper_rooms" not in {switch.move for case in model.cases for switch in case.switches}
    assert months_of(client, "rent", case="worst") == before
    assert "a move, not on in any case yet" in client.store.log(1)[0].sentence


@pytest.mark.parametrize(("way", "label"), [("fork", ""), ("move", " "), ("fork", "x" * 41)])
def test_a_sketch_is_kept_under_a_name_only(client, way, label):
    client.post("/m/1/sketch/start", data={"case": "worst", "back": ""})
    done(client, rows=[("rent", "")], months=MONTHS, value="7000", case="worst")
    form = {"way": way, "label": label, "seen": "0", "back": "", "message_at": "keep"}
    reply = client.post("/m/1/sketch/keep", data=form, headers={"HX-Request": "true"})
    assert "Give it a name of 1 to 40 letters" in reply.text
    assert reply.headers["HX-Retarget"] == "#keep-message"
    assert "Sketch in Worst" in client.get("/m/1/drivers?case=worst").text


def test_a_relative_edit_rides_on_what_somebody_else_made_of_other_cells_meanwhile(client):
    client.set_cookie("person", "Okan")
    done(client, rows=[("rent", "")], months=["2027-05"], value="10000", reach="only")
    client.set_cookie("person", "Ines")
    stale = gesture(rows=[("rent", "")], months=["2027-04"], value="+10 %", seen="0", reach="only")
    assert client.post("/m/1/drivers/cells", data=stale).status_code == 303
    assert months_of(client, "rent", first="2027-04", count=2)[1] == 10000
    stale = gesture(rows=[("rent", "")], months=["2027-04", "2027-05"], value="+10 %", seen="0", reach="only")
    assert client.post("/m/1/drivers/cells", data=stale).status_code == 409


@pytest.mark.parametrize(
    ("value", "kind", "said"),
    [
        ("60000", "type", "1,000 times"),
        ("2000000000000", "type", "1,000 times"),
        ("50\t61000\t50", "paste", "1,000 times"),
    ],
)
def test_an_amount_far_beyond_what_a_line_ever_held_is_asked_back(client, value, kind, said):
    before = client.model()
    sent = gesture(kind, value=value, months=["2027-03"], reach="only", seen=str(client.revision()))
    reply = client.post("/m/1/drivers/cells", data={**sent, "message_at": "editor"}, headers={"HX-Request": "true"})
    assert reply.status_code == 422
    assert said in reply.text
    assert 'data-offer="sure"' in reply.text
    assert client.model() == before
    sure = gesture(kind, value=value, months=["2027-03"], reach="only", seen=str(client.revision()), sure=True)
    assert client.post("/m/1/drivers/cells", data=sure).status_code == 303
    assert client.model() != before


def test_a_total_that_is_typed_moves_its_members_in_proportion(client):
    """By hand: three regions' orders in March 2027 keep their shares of the total typed."""
    month = client.model().timeline.index(Month(2027, 3))

    def orders():
        return evaluate(client.plan(), [()]).values("kits_ordered")[:, month, 0]

    before = orders()
    sent = gesture(rows=[("kits_ordered", "")], value="5000", months=["2027-03"], reach="only",
                   seen=str(client.revision()))  # fmt: skip
    assert client.post("/m/1/drivers/cells", data=sent).status_code == 303
    after = orders()
    assert after.sum() == pytest.approx(5000, rel=1e-12)
    assert (after / after.sum()).tolist() == pytest.approx((before / before.sum()).tolist())


def test_a_price_over_regions_is_typed_as_its_weighted_mean(client):
    sent = gesture(rows=[("kit_price", "")], value="60", months=["2027-03"], reach="only", case="best",
                   seen=str(client.revision()))  # fmt: skip
    assert client.post("/m/1/drivers/cells", data=sent).status_code == 303
    plan = client.plan()
    results = evaluate(plan, [plan.model.changes_of("best")])
    march = Period("", "", Month(2027, 3), Month(2027, 3))
    assert roll_up(results, "kit_price", [march])[0, 0] == pytest.approx(60, rel=1e-12)
    page = client.get("/m/1/drivers?case=best&from=2027-03&to=2027-03").text
    assert "60.00" in page


def test_what_has_no_total_stays_empty_and_says_why(client):
    page = client.get("/m/1/drivers?case=base&from=2026-07&to=2028-12&by=year").text
    cell = re.search(r'<td id="c-field_part--[^"]*"[^>]*title="(No total[^"]*)"[^>]*></td>', page)
    assert cell, "the share of field work by team has no total over teams"
    assert (
        cell[1] == "No total: its months and members differ, and nothing says what weighs them. Its panel asks for it."
    )


def test_people_coming_and_going_are_single_events(client):
    page = client.get("/m/1/drivers?case=base&open=hired").text
    row = page.partition('id="row-hired-')[2].partition(">")[0]
    assert 'data-reach="only"' in row
