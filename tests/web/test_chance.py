"""Chance: what is asked, what the draws say, how far they are; and long work beside requests."""

import re
import time
from threading import Event

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.kit.desk import done, refused
from widefork.core.analysis.chance import Redrawn, Shape, hoped_for, lay_out, run_chance, usual_spreads
from widefork.core.changes import Operation
from widefork.core.errors import InvalidValue
from widefork.store.edits import change_member
from widefork.web.pages.swings.chance.page import percent
from widefork.web.shared.jobs import KEPT, Job, Jobs, left_words

ASKED = "?view=chance&figure=lowest_cash&draws=256&seed=5"


@pytest.fixture
def client(client):
    return client.begin("swings", message_at="chance")


def drawn(client, query=ASKED):
    """The page once its draws are there."""
    for _ in range(100):
        page = client.read(query)
        if "progress-line" not in page:
            return page
        time.sleep(0.2)
    raise AssertionError("the draws never came")


def swept(client, figure="lowest_cash", case="base", count=256, seed=5, spreads=None):
    """The same draws, asked of the core."""
    plan = client.plan()
    layout = lay_out(plan, case, usual_spreads(plan) if spreads is None else spreads)
    return run_chance(plan, layout, [plan.model.figure(figure)], ["cash_after_overdraft"], count, seed)


def shown(text):
    return float(text.replace(",", "").replace("−", "-"))


def test_the_page_says_what_the_draws_say(client):
    page, found = drawn(client), swept(client)
    assert re.search(r'id="chance">([^<]+)<', page)[1] == percent(found.under_at_all().value)
    needs = re.findall(r"<td class=\"l\">(\d\d) of 100</td><td>([\d,]+|nothing)</td>", page)
    for safe, need in needs:
        expected = found.money_needed(int(safe) / 100).value
        assert (0.0 if need == "nothing" else shown(need)) == pytest.approx(expected, abs=1)
    drivers = re.findall(r"<td>([+−]0\.\d\d)</td>", page)
    assert [shown(each) for each in drivers] == pytest.approx(
        [driver.correlation for driver in found.driven_by(0)[: len(drivers)]], abs=0.006
    )
    case = float(np.min(client.workspace.now(1).results.series("cash_after_overdraft")[6:]))
    assert f"Lowest cash is {case:,.0f} in Base itself" in page


@pytest.mark.parametrize("sense", ["at least", "at most"])
def test_a_goal_is_told_by_its_chance(client, sense):
    page = drawn(client, f"{ASKED}&goal=150000&sense={sense}")
    known = swept(client).reaching(0, 150000, sense == "at least")
    assert re.search(r'id="chance">([^<]+)<', page)[1] == percent(known.value)
    assert f"chance that Lowest cash is {sense} 150,000" in page


def test_only_what_is_chosen_is_drawn_as_asked(client):
    query = f"{ASKED}&spread=kit_price&spread=rent&shape=pert&held=90&drawn_each=year&persistence=50&contracts=yes"
    page, plan = drawn(client, query), client.plan()
    own = usual_spreads(plan, ["kit_price", "rent"], Shape.PERT, 0.9)
    spreads = [*(type(s)(s.line, s.operation, s.distribution, Redrawn.YEAR, 0.5) for s in own)]
    spreads += hoped_for(plan, plan.model.changes_of("base"))
    found = swept(client, spreads=spreads)
    assert re.search(r'id="chance">([^<]+)<', page)[1] == percent(found.under_at_all().value)
    assert "2 assumptions" in page
    assert f"{len(spreads) - 2} drawn once for the whole plan, 2 drawn by fiscal year" in page
    assert "AR(1)" in page


@pytest.mark.parametrize(
    ("query", "said"),
    [
        ("held=0", "more than 0 % and less than 100 %"), ("held=much", "Expected a number"),
        ("drawn_each=month&persistence=100", "below 100 %"), ("goal=many", "Expected a number"),
        ("by_weights=yes", "No case has a weight"),
    ],
)  # fmt: skip
def test_what_cannot_be_asked_says_why(client, query, said):
    assert said in drawn(client, f"{ASKED}&{query}")


def test_long_draws_say_how_far_they_are_and_keep_what_is_drawn_when_stopped(client):
    query = "?view=chance&figure=ebitda_2027&draws=1048576&seed=9"
    page = client.read(query)
    assert re.search(r"[\d,]+ of 1,048,576 drawn", page)
    form = dict(re.findall(r'name="(figure|fan|shape|held|drawn_each|persistence|draws|seed)" value="([^"]*)"',
                           page.partition('id="stop-form"')[2]))  # fmt: skip
    spreads = re.findall(r'name="spread" value="([^"]*)"', page.partition('id="stop-form"')[2])
    done(client.send("stop", **form, spread=spreads))
    assert re.search(r"Stopped after [\d,]+ of 1,048,576", drawn(client, query))


def test_shares_of_the_variance_are_told_and_what_has_none_says_why(client):
    few = "&spread=kit_price&spread=rent"
    piece = client.get(f"/m/1/swings/variance{ASKED}&figure=ebitda_2027{few}").text
    assert re.search(r"Kit price</td><td>\d+ %</td><td>\d+ %", piece)
    never = client.get("/m/1/swings/variance?view=chance&figure=break_even&draws=256").text
    assert "no answer in some of the draws" in never


def test_without_a_range_nothing_is_drawn(client):
    names = [line.name for line in client.plan().model.lines if line.plausible is not None]
    done(client.send("ranges", name=names, range=[""] * len(names)))
    assert "No assumption has a plausible range yet" in client.read(ASKED)


SPREAD = {"line": "kit_price", "range": "−9 % to +6 %", "shape": "pert", "held": "90", "drawn_each": "month",
          "persistence": "70"}  # fmt: skip


def test_a_line_is_drawn_as_it_says_itself_and_a_calculated_one_too(client):
    done(client.send("spread", **SPREAD))
    done(client.send("spread", **{**SPREAD, "line": "kit_revenue", "drawn_each": "once", "range": "−5 % to +4 %"}))
    plan = client.plan()
    drawn_as = {spread.line: spread for spread in usual_spreads(plan)}
    assert (drawn_as["kit_price"].rhythm, drawn_as["kit_price"].persistence) == (Redrawn.MONTH, 0.7)
    assert plan.model.line("kit_price").plausible.low == pytest.approx(-0.09)  # the range is the line's own
    assert "kit_revenue" in drawn_as
    page = drawn(client)
    assert "1 drawn month by month" in page
    expected = swept(client).under_at_all()
    assert re.search(r'id="chance">([^<]+)<', page)[1] == percent(expected.value)
    done(client.send("spread", line="kit_price", do="usual"))
    assert [setting.line for setting in client.plan().model.spreads] == ["kit_revenue"]


def test_a_member_is_drawn_as_it_says_itself_and_the_others_together(client):
    """Kits at Coast as a value of their own; Valley and Upland by the line's range; and back by one gesture."""
    at_coast = {
        "line": "kits_ordered",
        "at": "Coast",
        "range": "1300 to 1600",
        "applied": "value",
        "drawn_each": "once",
    }
    done(client.send("spread", **{**SPREAD, **at_coast}))
    plan = client.plan()
    spreads = {spread.name: spread for spread in usual_spreads(plan)}
    assert spreads["kits_ordered Coast"].operation is Operation.SET
    assert len(spreads["kits_ordered"].parts) == 2
    assert plan.model.line("kits_ordered").plausible is not None  # the line keeps its own range
    page = drawn(client)
    assert "Kits ordered, Coast" in page
    assert "Kits ordered, the rest" in page
    kits = client.workspace.now(1).results.series("kits_ordered", ("Coast",))
    row = re.search(r'<form id="spread-kits_ordered-Coast".*?</form>', page, re.DOTALL)[0]
    assert f'value="1300 to 1600, likely {kits.mean():.10g}"' in row  # what is assumed of Coast, on average
    assert re.search(r'<option value="value" selected', row)
    expected = swept(client).under_at_all()
    assert re.search(r'id="chance">([^<]+)<', page)[1] == percent(expected.value)
    few = drawn(client, f"{ASKED}&spread=kits_ordered+Coast")
    assert "1 assumption</summary>" in few
    done(client.send("spread", line="kits_ordered", at="Coast", do="usual"))
    assert not client.plan().model.spreads
    done(client.post("/m/1/undo", data={"back": "/m/1/swings"}))
    assert client.plan().model.spreads[0].members == (("region", "Coast"),)


def test_a_spread_that_no_longer_fits_its_range_is_left_out_and_said(client):
    done(client.send("spread", **{**SPREAD, "line": "rent", "range": "6500 to 7600", "applied": "value"}))
    done(client.send("ranges", name="rent", range="−5 % to +5 %"))
    page = drawn(client)
    assert "A share of Rent cannot be drawn as a value" in page
    assert "It is not drawn until then." in page
    assert '<form id="spread-rent" class="own"' in page  # to be put right


def test_a_member_renamed_keeps_its_spread(client):
    store, at_coast = client.store, {"line": "kits_ordered", "at": "Coast", "range": "1300 to 1600"}
    done(client.send("spread", **{**SPREAD, **at_coast}))
    store.edit(1, "Ines", client.revision(), change_member("region", "Coast", "renamed", "Shore"))
    assert client.plan().model.spreads[0].name == "kits_ordered Shore"


def test_what_goes_together_is_drawn_together_and_repaired_where_it_cannot_be(client):
    pairs = [("kits_ordered", "panel_contracts", "0.9"), ("panel_contracts", "kit_price", "+0.9"),
             ("kits_ordered", "kit_price", "−0.9")]  # fmt: skip
    for one, other, amount in pairs:
        done(client.send("pair", one=one, other=other, amount=amount))
    page = drawn(client)
    assert "the nearest that can be were taken" in page
    assert "contradicts the others" in page
    for one, other, _ in pairs[1:]:
        done(client.send("pair", one=other, other=one, amount="0"))
    (left,) = client.plan().model.correlations
    assert (left.one, left.other, left.coefficient) == (*pairs[0][:2], 0.9)
    assert "the nearest that can be were taken" not in drawn(client)
    shares = client.get("/m/1/swings/variance" + ASKED).text
    assert "take the correlations off" in shares


@pytest.mark.parametrize(
    ("doing", "form", "said"),
    [
        ("spread", {"range": ""}, "needs a range to be drawn from"),
        ("spread", {"at": "Moon"}, "There is no member of Kit price “Moon”"),
        ("spread", {"applied": "value"}, "A share of Kit price cannot be drawn as a value"),
        ("spread", {"applied": "odd"}, "Expected what it is drawn as"),
        ("spread", {"range": "9 to 4"}, "from the lower to the higher"),
        ("spread", {"held": "100"}, "less than 100 %"), ("spread", {"persistence": "100"}, "below 100 %"),
        ("spread", {"shape": "odd"}, "Expected the shape"), ("spread", {"drawn_each": "day"}, "Expected how often"),
        ("spread", {"range": "−100 % to +6 %", "shape": "lognormal"}, "lies above 0"),
        ("pair", {"one": "kit_price", "other": "kit_price", "amount": "0.5"}, "with itself"),
        ("pair", {"one": "kit_price", "other": "rent", "amount": "2"}, "between -1 and 1"),
    ],
)  # fmt: skip
def test_spreads_that_cannot_be_say_why_at_their_place(client, doing, form, said):
    usual = SPREAD if doing == "spread" else {}
    refused(client.send(doing, message_at="spread", **{**usual, **form}), said)
    assert not client.plan().model.spreads


def test_chances_are_written_so_that_nearly_is_not_all():
    assert [percent(share) for share in (0, 0.0001, 0.0625, 0.5, 0.997, 1)] == [
        "0 %", "under 0.1 %", "6.3 %", "50 %", "over 99 %", "100 %",
    ]  # fmt: skip


def test_a_job_is_done_once_for_all_who_ask_and_ended_when_asked_to():
    jobs, go, begun = Jobs(), Event(), []

    def work(told):
        begun.append(1)
        go.wait(5)
        while told(len(begun), 2):
            time.sleep(0.01)
        return "found"

    first, second = jobs.get("a", work), jobs.get("a", work)
    assert first is second
    assert first.is_running
    go.set()
    first.stop.set()
    assert first.ended.wait(5)
    assert (first.found, first.count, begun) == ("found", 2, [1])
    assert jobs.known("b") is None


def test_work_nobody_asks_for_any_more_ends_and_begins_anew_when_asked_again():
    jobs, ended = Jobs(left_after=0.05), []

    def work(told):
        while told(1, 2):
            time.sleep(0.005)
        ended.append(1)

    first = jobs.get("a", work, 0.2)
    assert first.is_running  # somebody waited
    assert first.ended.wait(5)
    assert first.is_left
    second = jobs.get("a", work)
    assert second is not first
    assert second.ended.wait(5)
    assert ended == [1, 1]


def test_a_job_that_breaks_off_says_so_and_only_the_latest_are_kept():
    jobs = Jobs()

    def fails(told):
        raise InvalidValue("It cannot be.")

    assert jobs.get("x", fails, 5).fault.sentence == "It cannot be."
    for number in range(KEPT):
        jobs.get(number, lambda told: 1, 5)
    assert jobs.known("x") is None


def test_chance_by_hand(page, address):
    page.goto(f"{address}/m/1/swings?view=chance&draws=16384")
    expect(page.locator("#chance")).to_be_visible(timeout=60000)
    page.locator("#fan").focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    expect(page.locator("#month-words")).to_contain_text("5 % below")
    page.locator("#distribution").focus()
    before = page.locator("#cut-words").inner_text()
    page.keyboard.press("ArrowRight")
    expect(page.locator("#cut-words")).not_to_have_text(before)
    page.get_by_label("Goal for the figure").fill("100000")
    page.get_by_label("How many times").select_option("256")
    page.get_by_role("button", name="Draw").click()
    expect(page.get_by_text("chance that Lowest cash is at least 100,000")).to_be_visible(timeout=20000)


def test_points_and_the_interest_of_the_money_needed_are_chosen(client, monkeypatch):
    """Money that bears interest has to be more, and Latin hypercubes have an end."""
    query = f"{ASKED}&case=worst"

    def needed(page):
        return int(re.search(r"95 of 100</td><td>([\d,]+)<", page)[1].replace(",", ""))

    bare, dear, latin = (drawn(client, f"{query}{more}") for more in ("", "&interest=10", "&points=latin"))
    assert needed(dear) > needed(bare) != needed(latin)
    assert "with 10 % a year on the money itself" in dear
    assert "below 100 % a year" in drawn(client, f"{query}&interest=120")
    monkeypatch.setattr("widefork.web.pages.swings.chance.asked.MOST_LATIN", 128)  # as 100,000 would take long
    assert "at most 128 draws; these are Sobol points" in drawn(client, f"{query}&points=latin")


def test_how_long_is_left_goes_by_how_long_it_took(monkeypatch):
    job = Job(began=0.0)
    assert job.seconds_left != job.seconds_left
    monkeypatch.setattr("widefork.web.shared.jobs.monotonic", lambda: 10.0)
    job.told(256, 1024)
    assert job.seconds_left == pytest.approx(30)
    assert (left_words(30), left_words(0.4), left_words(200)) == ("about 30 seconds left", "", "about 3 minutes left")
