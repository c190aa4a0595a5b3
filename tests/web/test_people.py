"""People: the team plan read in every way, seats and teams edited, many changed at once, shocks, hires proposed."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.kit.desk import HTMX, done, refused
from widefork.core.axes import Grain
from widefork.core.changes import Operation
from widefork.core.engine import evaluate
from widefork.core.finance.assemble import build_plan
from widefork.core.finance.statements import CHECKS
from widefork.core.graph.rollup import roll_up
from widefork.web.pages.people.shows import SHOWS

SEAT = {"member": "", "label": "Sampler Coast 5", "team": "Samplers Coast", "start": "Feb 27"}


@pytest.fixture
def client(client):
    return client.begin("people", case="base")


def seats(client):
    return client.model().dimension_by_name["seat"]


def heads(client, case="base", team=None):
    plan = client.plan()
    results = evaluate(plan, [plan.model.changes_of(case)])
    return roll_up(results, "staff_heads", plan.model.timeline.periods(Grain.MONTH), (team,) if team else ())[:, 0]


@pytest.mark.parametrize("query", [
    "", "show=movement&team=Lab analysts", "show=cost", "show=cost&team=Support&by=quarter", "show=work",
    "show=work&team=Samplers Upland&by=year&from=2026-01&to=2028-12", "show=cohorts",
    "show=cohorts&measure=heads",
    "show=cohorts&measure=capacity&by=quarter", "show=cohorts&measure=learning&team=Lab analysts&fold=yes",
    "show=seats",
    "show=teams", "show=shocks", "show=shocks&figure=sum:staff_work&case=worst",
    "show=many", "show=hiring&case=best", "show=odd",
    "team=nobody&measure=odd&figure=odd&plan=odd",
])  # fmt: skip
def test_everything_can_be_shown(client, query):
    reply = client.get(f"/m/1/people?{query}")
    assert reply.status_code == 200
    assert re.search(r"of 3\d allowed", reply.text)
    asked = re.search(r"show=(\w+)", query)
    show = SHOWS.get(asked[1] if asked else "", SHOWS["movement"])
    assert re.findall(r'<a class="term"[^>]*aria-current="true"><b>([^<]+)', reply.text) == [show.label]


def test_cohorts_fold_into_the_plans_own_line(client):
    page = client.get("/m/1/people?show=cohorts&measure=heads&from=2026-07&to=2027-06").text
    rows = re.search(r"<tbody>(.*?)</tbody>", page, re.S)[1].split("<tr")[1:]
    texts = [[re.sub("<[^>]+>", "", cell).strip() for cell in re.findall(r"<td.*?</td>", row, re.S)] for row in rows]
    numbers = [[float(cell.replace(",", "").replace("−", "-") or 0) for cell in row[2:]] for row in texts]
    *cohorts, together, rest, total = numbers
    for place in range(12):
        assert sum(row[place] for row in cohorts) == pytest.approx(together[place], abs=0.06 * len(cohorts))
        assert together[place] + rest[place] == pytest.approx(total[place], abs=0.11)
    assert total[:12] == pytest.approx(heads(client)[6:18].tolist(), abs=0.06)
    assert texts[-1][0] == "heads"


def test_a_seat_is_added_changed_and_removed(client):
    before, there = client.model(), heads(client)
    done(client.send("seat", **SEAT, share="50 %", salary="3100"))
    assert seats(client).attributes["Sampler Coast 5"] == {
        "team": "Samplers Coast", "start": "2027-02", "share": 0.5, "salary": 3100,
    }  # fmt: skip
    more = heads(client) - there
    assert more[:13].tolist() == pytest.approx([0] * 13)
    assert more[13] == pytest.approx(1)
    done(client.send("seat", **{**SEAT, "member": "Sampler Coast 5", "label": "Coast, fifth"}, end="Dec 27"))
    assert seats(client).attributes["Coast, fifth"]["end"] == "2027-12"
    done(client.send("remove_seat", member="Coast, fifth"))
    assert client.model() == before


@pytest.mark.parametrize(
    ("form", "words"),
    [
        ({"label": ""}, "A seat needs a name"),
        ({"team": "Pilots"}, "Sampler Coast 5: expected a team, one of Samplers Coast"),
        ({"start": "soon"}, "Sampler Coast 5, Starts"),
        ({"start": ""}, "needs a month it starts in"),
        ({"end": "Jan 27"}, "ends in Jan 27, before it starts in Feb 27"),
        ({"share": "150 %"}, "at most 100 %"),
        ({"label": "Summer sampler"}, "already a member of seat Summer sampler"),
    ],
)
def test_a_seat_that_cannot_be_is_refused_where_it_was_typed(client, form, words):
    before = client.model()
    refused(client.send("seat", **{**SEAT, **form}), words)
    assert client.model() == before


def test_a_seat_carries_the_move_it_belongs_to(client):
    done(client.send("seat", **SEAT, move="Second lab"))
    assert seats(client).attributes["Sampler Coast 5"]["move"] == "second_lab"
    counts, tied = client.model().move_by_name["second_lab"].changes[-2:]
    assert (counts.line, counts.members) == ("staff_seat_counts", (("seat", "Sampler Coast 5"),))
    assert (tied.line, tied.operation, tied.members) == ("staff_seat_later", Operation.WITH_MOVE, counts.members)
    assert "1 more than needed" in client.get("/m/1/people?show=seats").text
    # a label nobody knows becomes a move of its own
    done(client.send("seat", **{**SEAT, "member": "Sampler Coast 5"}, move="Night shift"))
    moves = client.model().move_by_name
    assert [c.line for c in moves["night_shift"].changes] == ["staff_seat_counts", "staff_seat_later"]
    assert all(("seat", "Sampler Coast 5") not in c.members for c in moves["second_lab"].changes)
    done(client.send("seat", **{**SEAT, "member": "Sampler Coast 5"}, move=""))
    assert client.model().move_by_name["night_shift"].changes == ()
    assert heads(client, team="Samplers Coast")[13] > heads(client, team="Samplers Coast")[12]


def test_seats_are_pasted_with_headings_and_without(client):
    block = "Analyst 16\tLab analysts\t\tMar 27\t\t80 %\nSummer sampler\tSamplers Upland\t\tJun 27\tAug 27"
    done(client.send("paste_seats", text=block))
    known = seats(client).attributes
    assert known["Analyst 16"] == {"team": "Lab analysts", "start": "2027-03", "share": 0.8}
    assert known["Summer sampler"]["start"] == "2027-06"
    done(client.send("paste_seats", text="seat\tstarts\tteam\tperson\nCourier\tJul 27\tsupport\tMaro"))
    assert seats(client).attributes["Courier"] == {"team": "Support", "start": "2027-07", "person": "Maro"}
    refused(client.send("paste_seats", text="A\tSupport\t\tJul 27\nA\tSupport\t\tAug 27"), "A is listed twice")
    refused(client.send("paste_seats", text="A\tSupport\t\tsometime"), "A, Starts")
    refused(client.send("paste_seats", text=""), "nothing to paste")


def test_teams_are_changed_together_and_a_new_one_begins_like_another(client):
    done(client.send("teams", **{"3.salary": "3500", "3.leaving": "10 %", "0.name": "Samplers, coast"}))
    teams = client.model().dimension_by_name["team"].attributes
    assert (teams["Lab analysts"]["salary"], teams["Lab analysts"]["leaving"]) == (3500, 0.1)
    assert seats(client).attributes["Sampler Coast 4"]["team"] == "Samplers, coast"
    done(client.send("new_team", label="Night analysts", like="Lab analysts"))
    known = client.model().dimension_by_name["team"].attributes["Night analysts"]
    assert known["salary"] == 3500
    assert "heads" not in known
    refused(client.send("teams", **{"3.salary": "much"}), "Lab analysts: Salary a month")
    refused(client.send("teams", **{"3.leaving": "140 %"}), "Lab analysts: Leaving in a year needs to be at most 100 %")
    refused(client.send("teams", **{"1.ramp_profile": "steep"}), "expected a profile of Frame")
    refused(client.send("teams", **{"3.salary": "3500"}), "Nothing was changed")


def test_pay_of_many_rises_from_a_month_as_one_edit(client):
    revision = client.store.revision(1)
    plan = client.plan()
    before = evaluate(plan).values("staff_pay")[..., 0]
    done(client.send("many", who="kind:employee", what="pay", amount="4", month="Apr 27"))
    assert client.store.revision(1) == revision + 1
    after = evaluate(client.plan(), [client.model().changes_of("base")]).values("staff_pay")[..., 0]
    ratio = after / before
    np.testing.assert_allclose(ratio[:, :15], 1)
    np.testing.assert_allclose(ratio[:5, 15:], 1.04)
    assert ratio[5].tolist() == pytest.approx([1] * 36)  # part-time staff


def test_heads_of_many_are_shared_out_whole(client):
    there = heads(client)
    done(client.send("many", who="role:Sampler", what="fewer", amount="3", month="Jan 27"))
    changes = [c for c in client.model().cases[0].changes if c.line == "let_go"] or [
        (team, rule) for team, rule in client.model().line("let_go").rules.items()
    ]
    assert changes
    assert (there - heads(client))[12] == pytest.approx(3)
    done(client.send("many", who="all", what="more", amount="2", month="Jun 27", case="worst"))
    added = [c for c in client.model().case("worst").changes if c.line == "hired"]
    assert sum(c.amount for c in added) == 2
    assert all(float(c.amount).is_integer() for c in added)


@pytest.mark.parametrize(
    ("form", "words"),
    [
        ({"who": "role:Pilot"}, "Nobody is meant by"),
        ({"what": "mood"}, "Choose what changes"),
        ({"amount": "-100"}, "Expected more than −100 %"),
        ({"amount": "lots"}, "lots"),
        ({"what": "fewer", "amount": "2.5"}, "whole number of heads"),
        ({"what": "fewer", "amount": "400"}, "everybody: there are"),
        ({"month": "Jan 31"}, "outside the model's months"),
        ({"month": ""}, "A month is written like"),
    ],
)
def test_many_that_cannot_be_changed_are_refused(client, form, words):
    before = client.model()
    usual = {"who": "all", "what": "pay", "amount": "4", "month": "Apr 27"}
    refused(client.send("many", **{**usual, **form}), words)
    assert client.model() == before


def test_a_shock_holds_and_rebounds_by_its_shape(client):
    form = {"who": "region:Coast", "level": "80 %", "first": "Oct 26", "rebound": "Jan 27", "case": "worst"}
    done(client.send("shock", **form, drawn="50 100 40 100"))
    plan = client.plan()
    output = evaluate(plan, [plan.model.changes_of("worst")]).values("staff_productivity")[..., 0]
    expected = [1.0] * 9 + [0.8] * 3 + [0.9, 1.0, 0.88] + [1.0] * 21
    assert output[0].tolist() == pytest.approx(expected)
    assert output[1].tolist() == [1.0] * 36
    assert all(c.operation is Operation.SCALE for c in plan.model.case("worst").changes if "productivity" in c.line)
    refused(client.send("shock", **{**form, "rebound": "Oct 26"}, shape="4"), "is not after Oct 26")
    refused(client.send("shock", **{**form, "level": "-5"}, shape="4"), "0 to 200 %")
    refused(client.send("shock", **form, shape="fast"), "over how many months")
    refused(client.send("shock", **form, drawn="30 up"), "The shape")


def test_hires_proposed_leave_nobody_short_once_that_can_be_helped(client):
    page = client.get("/m/1/people?show=hiring&case=best").text
    assert "Lab analysts" in page
    done(client.send("hire", team="Lab analysts", case="best"))
    plan = client.plan()
    short = evaluate(plan, [plan.model.changes_of("best")]).series("staff_short", ("Lab analysts",))
    assert short[6 + 2 + 4 :].max() <= 1e-6  # two months to a first day, four to ramp
    refused(client.send("hire", team="Lab analysts", case="best"), "nobody more is needed")


def test_plans_under_shocks_are_tried_together(client):
    page = client.get("/m/1/people?show=shocks&figure=sum:staff_work&from=2026-10&to=2027-12").text
    for label in ("Shared sampling crews", "Fewer samplers", "Flu wave, quick rebound", "Flu, falls twice"):
        assert label in page
    assert "is best in all 3 rows" in page
    assert page.count('class="shade-') == 3 * 6  # no plan and five, under no shock and two
    assert "Price rise" not in page.partition('id="main"')[2].partition('id="case-panel"')[0]


def test_the_books_tie_with_every_move_on(client):
    plan = client.plan()
    for move in plan.model.moves:
        results = evaluate(plan, [move.changes])
        assert all(abs(results.values(check)).max() < 1e-6 for check in CHECKS), move.name


def test_a_plan_begins_from_a_list_of_teams(client):
    client.post("/models/new", data={"name": "Bare", "currency": "EUR", "start": "Jan 27", "months": "12",
                                     "fiscal_year_start": "1", "last_actual": "", "dimensions": ""})  # fmt: skip
    assert "Who works here?" in client.get("/m/2/people").text
    form = {"seen": "0", "back": "/m/2/people", "message_at": "people"}

    def begin(**typed):
        return client.post("/m/2/people/start", data={**form, **typed}, headers=HTMX)

    refused(begin(), "Name at least one team")
    refused(begin(**{"teams.0.name": "Callers", "teams.0.heads": "-2"}), "at least 0")
    refused(client.post("/m/2/people/seat", data={**form, **SEAT}, headers=HTMX), "no team plan here yet")
    done(begin(**{"teams.0.name": "Callers", "teams.0.heads": "4", "teams.0.salary": "2500", "work": "Calls"}))
    model = client.model(2)
    assert evaluate(build_plan(model)).series("staff_heads", ("Callers",)).tolist() == [4] * 12
    assert model.line("hired").dimensions == ("team",)
    page = client.get("/m/2/people?show=work").text
    assert "Nothing says what is wanted" in page
    # the first seat makes the list, the last one takes it away
    seat = {**form, "seen": "1", "label": "Fifth caller", "team": "Callers", "start": "Mar 27"}
    done(client.post("/m/2/people/seat", data=seat, headers=HTMX))
    assert evaluate(client.plan(2)).series("staff_heads", ("Callers",))[2] == 5
    done(client.post("/m/2/people/remove_seat", data={**form, "seen": "2", "member": "Fifth caller"}, headers=HTMX))
    assert client.model(2) == model


def test_while_a_sketch_is_on_values_go_there_and_seats_stay(client):
    client.post("/m/1/sketch/start", data={"case": "base", "back": ""})
    before = client.model()
    refused(client.send("seat", **SEAT), "Keep or drop the sketch first")
    done(client.send("many", who="all", what="pay", amount="4", month="Apr 27"))
    assert client.model() == before
    assert "pay +4.0" in client.get("/m/1/waterline").text or "everybody: pay" in client.get("/m/1/waterline").text


def test_seats_in_the_browser(page, address):
    page.goto(f"{address}/m/1/people")
    page.get_by_role("link", name=re.compile("^Seats")).click()
    page.wait_for_load_state()
    page.get_by_label("Name of a new seat").fill("Lab night")
    page.get_by_label("Team of a new seat").select_option("Lab analysts")
    page.get_by_label("start of a new seat").fill("Mar 27")
    page.get_by_label("start of a new seat").press("Enter")
    expect(page.get_by_label("Name of Lab night")).to_be_visible()
    expect(page.locator(".allowed")).to_contain_text(re.compile(r"30\s*of 30 allowed"))
    page.get_by_label("end of Lab night").fill("Feb 27")
    page.get_by_label("end of Lab night").press("Enter")
    expect(page.locator("#people-message")).to_contain_text("before it starts in Mar 27")
    expect(page.get_by_label("end of Lab night")).to_have_value("Feb 27")
    page.get_by_role("button", name="Remove Lab night").click()
    expect(page.get_by_label("Name of Lab night")).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(page.get_by_label("Name of Lab night")).to_be_visible()


def test_a_seat_changed_says_what_was(client):
    texts = {"team": "Samplers Upland", "start": "Jun 27", "end": "Sep 27", "share": "", "salary": "2700", "person": ""}
    done(client.send("seat", member="Summer sampler", label="Summer help", move="Second lab", **texts))
    said = client.workspace.store.log(1)[0].sentence
    assert said.startswith("Summer help: before Summer sampler, move nothing to Second lab, ")
    assert "starts May 27 to Jun 27" in said
    assert re.search(r"2,?600(\.00)? to 2,?700", said), said


def test_cohorts_in_the_browser(page, address):
    page.goto(f"{address}/m/1/people?show=cohorts")
    expect(page.locator("#cohorts tbody tr")).to_have_count(12)
    page.get_by_role("link", name="Lab analysts").click()
    page.get_by_role("link", name="what they can do").click()
    expect(page.locator("#cohorts thead")).to_contain_text("sum")
    page.get_by_role("link", name="Fold away the cohorts").click()
    expect(page.locator("#cohorts tbody tr")).to_have_count(3)


def crew(client):
    return client.model().dimension_by_name["crew"]


def test_a_seat_is_filled_from_inside_and_the_plan_follows(client):
    page = client.get("/m/1/people?show=fill").text
    assert "Account manager 3" in page
    assert re.search(r"Edda</b>.*missing: sampling \(has 0 of 1\).*6,900.*7,700.*7,200 less than hiring", page, re.S)
    # 800 of training and 6,900 for her place again, beside 14,900 for hiring
    by_fit, by_cost = (client.get(f"/m/1/people?show=fill{order}").text for order in ("", "&order=cost"))
    amounts = [re.findall(r'<td class="r">([\d,]+)</td><td class="hint">', text) for text in (by_fit, by_cost)]
    assert sorted(amounts[0]) == sorted(amounts[1])
    costs = [int(text.replace(",", "")) for text in amounts[1]]
    assert costs == sorted(costs)
    assert amounts[0] != amounts[1]
    before = client.model()
    managers, support = heads(client, team="Account managers"), heads(client, team="Support")
    cost = evaluate(build_plan(before)).values("staff_hiring").sum()
    done(client.send("choose", seat="Account manager 3", person="Edda"))
    known = seats(client).attributes
    assert known["Account manager 3"]["person"] == "Edda"
    assert known["Account manager 3"]["training"] == 800
    assert known["Edda's place"] == {"team": "Support", "start": "2027-04"}
    # a head as before where the seat is, one fewer where somebody came from until the place is filled again
    # (who leaves later is found over all teams together, and so may be somebody else later on)
    assert heads(client, team="Account managers")[:20].tolist() == pytest.approx(managers[:20].tolist())
    moved = heads(client, team="Support") - support
    assert moved[12:16].tolist() == pytest.approx([0, -1, -1, 0])
    results = evaluate(client.plan())
    assert results.series("staff_moved_in", ("Account managers",))[13] == 1
    assert results.series("staff_moved_out", ("Support",))[13] == 1
    assert results.series("staff_training", ("Account managers",))[13] == 800
    assert results.values("staff_hiring").sum() == pytest.approx(cost - 3200 + 1500)
    assert all(abs(results.values(check)).max() < 1e-6 for check in CHECKS)
    notes = client.get("/m/1/people?show=fill").text
    assert "Edda (Support) is planned for Account manager 3 in Account managers from Feb 27." in notes
    assert re.search("Their place opens: Edda.{1,5}s place, to be hired for Apr 27", notes)
    client.post("/m/1/undo", data={"back": "/m/1/people"})
    assert client.model() == before
    assert "Outbox" not in client.get("/m/1/people?show=fill").text


def test_somebody_who_holds_a_seat_gives_it_up(client):
    done(client.send("ask", seat="Evening support", asks="reports 1"))
    done(client.send("choose", seat="Evening support", person="Edda"))
    done(client.send("ask", seat="Analyst, second lab 1", asks="reports 3"))
    done(client.send("choose", seat="Analyst, second lab 1", person="Edda"))
    assert seats(client).attributes["Evening support"]["end"] == "2027-01"


def test_what_a_seat_asks_for_and_who_is_there_are_said(client):
    done(client.send("ask", seat="Summer sampler", asks="Driving 4; sampling 3"))
    assert seats(client).attributes["Summer sampler"]["asks"] == "driving 4, sampling 3"
    assert "100 %" in client.get("/m/1/people?show=fill&seat=Summer sampler").text
    refused(client.send("ask", seat="Summer sampler", asks="driving"), "got “driving”")
    refused(client.send("choose", seat="Summer sampler", person="Nobody"), "Nobody")
    block = "name\tteam\tmanager\tdriving\nHilde\tSupport\tOkan\t5\nAda\tSamplers Coast\tThea\t5"
    done(client.send("staff", text=block))
    assert crew(client).attributes["Hilde"] == {"team": "Support", "manager": "Okan", "driving": 5}
    assert crew(client).attributes["Ada"]["driving"] == 5
    assert crew(client).attributes["Ada"]["sampling"] == 4
    refused(client.send("staff", text="name\tdriving\nHilde\t5"), "Expected headings: name, team, manager")
    refused(client.send("staff", text="name\tteam\tmanager\tx\nHilde\tCrew\t\t5"), "Hilde: expected a team")
    refused(client.send("staff", text="name\tteam\tmanager\tx\nHilde\tSupport\t\tgood"), "Hilde, x")


def test_a_seat_is_filled_in_the_browser(page, address):
    page.goto(f"{address}/m/1/people")
    page.get_by_role("link", name=re.compile("^Fill a seat")).click()
    page.wait_for_load_state()
    page.get_by_role("button", name="Choose Ada").click()
    expect(page.get_by_text("filled by Ada")).to_be_visible()
    expect(page.get_by_text("Ada (Samplers Coast) is planned for")).to_be_visible()
    page.get_by_role("link", name="Ada's place").click()
    expect(page.get_by_text("Samplers Coast, from Apr 27")).to_be_visible()


def test_a_team_alone_may_be_allowed_so_many(client):
    page = client.get("/m/1/people?show=movement&to=2027-06").text
    beyond = page.partition('id="people-gaps"')[2]
    assert "heads beyond what is allowed" in beyond
    assert re.findall(r'<a class="link" [^>]*>([^<]+)</a>', beyond)[:2] == ["Lab analysts", "Support"]
    one = client.get("/m/1/people?show=movement&team=Support").text
    assert re.search(r"<span>Support, heads</span><b>[\d.]+</b><span class=\"hint\">of 3 allowed", one)
    assert 'aria-label="allowed, heads, ramped over' in one
    assert "people-gaps" not in client.get("/m/1/people?show=movement&team=Samplers Coast").text


def test_whoever_joins_has_a_row_though_they_can_do_nothing_that_is_counted(client):
    page = client.get("/m/1/people?show=cohorts&measure=capacity&team=Account managers&to=2027-06").text
    assert re.search(r'<td class="l label stick">Feb 27</td><td>1.?0?</td>', page)
    assert "Nobody joins" not in page


def test_what_is_planned_is_drawn_beside_what_is_allowed_or_wanted(client):
    for query, words in (
        ("show=movement", "allowed, heads, ramped over"), ("show=cost", "allowed, cost of people over"),
        ("show=work", "over the months in view"),
    ):  # fmt: skip
        assert re.search(f'aria-label="[^"]*{words}', client.get(f"/m/1/people?{query}").text), query
    one = client.get("/m/1/people?show=movement&team=Account managers").text
    assert 'aria-label="heads, ramped over' in one  # what is allowed is said for all teams together
    assert "work-chart" not in client.get("/m/1/people?show=cost&team=Support").text
    assert "work-chart" not in client.get("/m/1/people?by=year&from=2027-01&to=2027-12").text
