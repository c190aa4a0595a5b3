"""History and Trends: tables taken in, series looked at, steps, forecasts tested, kept and written into the plan."""

import re
import time

import pytest
from playwright.sync_api import expect

from tests.kit.desk import done, plain, refused
from widefork.core.analysis.trends import known_of, make_forecast, settings_of
from widefork.core.axes import Month
from widefork.core.changes import ByRule
from widefork.core.closing import Closing
from widefork.core.history import Recipe, StepKind
from widefork.core.rules import Forecast as ForecastRule
from widefork.core.spreads import Shape
from widefork.store.edits import close_month
from widefork.store.edits.histories import set_history_steps

SERIES = "kits_ordered Coast"
LONG = "month\tregion\tKits ordered\tRain\n" + "\n".join(
    f"{year}-{month:02d}\t{region}\t{100 * (year - 2020) + month}\t{month}"
    for year in (2022, 2023) for month in range(1, 13) for region in ("Coast", "Valley")
)  # fmt: skip


@pytest.fixture
def client(client):
    return client.begin("actuals", message_at="history", case="base")


def history(client, name=SERIES):
    return next(each for each in client.model().histories if each.name == name)


def forecast(client, query=""):
    """The page of one series once its forecast is made."""
    for _ in range(300):
        page = client.read(f"?view=trends&series=kits_ordered+Coast{query}")
        if "progress-line" not in page:
            return page
        time.sleep(0.2)
    raise AssertionError("the forecast was never made")


def test_a_table_is_looked_through_before_anything_is_in_the_model(client):
    before = client.model()
    done(client.send("history/read", text=LONG))
    page = plain(client.read("?view=history"))
    assert "Kits ordered, Coast" in page
    assert "12 known otherwise so far" in page
    assert "of its own: no line is called so" in page
    assert "Take in 4 series" in page
    assert client.model() == before
    done(client.send("history/drop"))
    assert "What came" not in client.read("?view=history")


def test_what_is_taken_in_replaces_what_was_known_and_leaves_its_steps(client):
    before = history(client)
    steps, kept = before.steps, before.forecasts
    done(client.send("history/read", text=LONG))
    done(client.send("history/take", line="", source=["Valley / Rain"], place=[""]))
    own = history(client)
    assert (own.start, len(own.values), own.steps, own.forecasts) == (Month(2022, 1), 48, steps, kept)
    assert own.values[:2] == (201, 202)
    assert own.values[12:14] == (301, 302)
    assert own.values[26:] == before.values[14:]
    names = [each.name for each in client.model().histories]
    assert "rain_coast" in names
    assert "rain_valley" not in names
    client.store.undo(1, "Guest")
    assert history(client).start == Month(2023, 1)


def test_a_table_of_members_only_is_of_the_line_that_is_named(client):
    done(client.send("history/read", text="region;2024-01;2024-02;2024-03\nCoast;1;2;3\nValley;4;5;6"))
    done(client.send("history/place", line="Kit price", source=[], place=[]))
    assert 'value="Kit price, Coast"' in client.read("?view=history")
    done(client.send("history/take", line="Kit price", source=[], place=[]))
    assert history(client, "kit_price Valley").values == (4, 5, 6)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "Nothing came"),
        ("a,b\nc,d", "No column and no row holds periods"),
        ("month,value\n2026-01,abc\n2026-02,x\n2026-03,y", "no other holds numbers"),
    ],
)
def test_what_cannot_be_read_is_said_and_nothing_waits(client, text, said):
    refused(client.send("history/read", text=text), said)
    assert client.workspace.incoming.of(1, "Guest") is None


def test_two_series_in_one_place_are_refused_with_their_names(client):
    done(client.send("history/read", text=LONG))
    both = {"source": ["Coast / Rain", "Valley / Rain"], "place": ["Kits ordered, Upland"] * 2}
    refused(client.send("history/take", line="", **both), "Coast / Rain, Valley / Rain go to one place")
    done(client.send("history/drop"))
    refused(client.send("history/take", line=""), "Your table is no longer here")


def test_steps_are_taken_done_otherwise_and_taken_back(client):
    done(client.send("history/step", series=SERIES, do="leave out", **{"in": "2025-01"}, note="strike"))
    assert history(client).steps[-1].note == "strike"
    done(client.send("history/step", series=SERIES, place="2", way="first"))
    assert [step.way for step in history(client).steps if step.kind is StepKind.DOUBLED] == ["first"]
    done(client.send("history/unstep", series=SERIES, place="0"))
    assert StepKind.GAP not in [step.kind for step in history(client).steps]
    page = plain(client.read("?view=history&series=kits_ordered+Coast"))
    assert "Feb 24 is missing: same month last year" in page
    client.begin("actuals", message_at="steps")
    for do, month, said in (
        ("leave out", "2031-01", "2031-01 is not in it"), ("gap", "2023-01", "no gap to fill"),
        ("doubled", "2023-01", "only once"), ("smooth", "2023-01", "Choose what the step does"),
        ("since", "soon", "soon"),
    ):  # fmt: skip
        refused(client.send("history/step", series=SERIES, do=do, **{"in": month}), said)
    refused(client.send("history/unstep", series=SERIES, place="9"), "no longer there")


def test_a_series_of_actual_months_only_can_carry_steps(client):
    done(client.send("history/remove", series=SERIES))
    done(client.send("history/step", series=SERIES, do="leave out", **{"in": "Mar 26"}))
    own = history(client)
    assert own.values == (1041, 1052, 1207, 1284, 1431, 1578)
    assert own.steps[0].month == Month(2026, 3)


@pytest.mark.parametrize(
    ("query", "words"),
    [
        ("", "41 months known, Jan 23 to Jun 26. 1 is missing. 1 came more than once"),
        ("&look=years", "FY25"),
        ("&look=years&per=4", "Q3"),
        ("&look=parts", "The three add up to the series"),
        ("&look=members", "in FY25, the latest year known whole"),
        ("&look=against&other=dry_days", "go together somewhat, the same way"),
        ("&per=1", "years"),
        ("&original=yes", "as it came"),
        ("&series=nothing", "There is no series “nothing”"),
    ],
)
def test_looks(reader, query, words):
    series = "" if "&series" in query else "&series=kits_ordered+Coast"
    assert words in plain(reader.get(f"/m/1/actuals?view=history{series}{query}").text)


def test_shares_of_members_are_those_of_the_year(reader):
    page = plain(reader.get("/m/1/actuals?view=history&series=kits_ordered+Valley&look=members").text)
    model = reader.application.extensions["workspace"].now(1).model
    sums = [
        sum(known_of(model, f"kits_ordered {region}").series.values[24:36]) for region in ("Coast", "Valley", "Upland")
    ]
    assert f"{sums[1] / sum(sums) * 100:.1f} %" in page


def test_the_page_says_what_the_forecast_says(client):
    page, model = forecast(client, "&whole=yes"), client.plan().model
    known = known_of(model, SERIES)
    made = make_forecast(known.series, settings_of(Recipe(is_whole=True), known, model.timeline))
    own, other = made.candidate, next(each for each in made.candidates if each.name == "seasonal_naive")
    told = [f"{share * 100:.1f}" for share in (own.by_horizon[2], own.by_horizon[11])]
    assert f"Off by {told[0]} % three months ahead, {told[1]} % at twelve." in plain(page)
    assert f"off by {other.by_horizon[2] * 100:.0f} %" in plain(page)
    year = sum(known.raw.values[36:42]) + sum(made.amounts[:6])
    assert f"{year:,.0f}" in page
    assert f"Dec 28: {made.amounts[-1]:,.0f}" in page
    band = made.bands[0]
    assert f"8 of 10: {band.low[-1]:,.0f} to {band.high[-1]:,.0f}" in page


def test_writing_into_base_gives_its_rule_and_what_chance_draws_from(client):
    client.begin("actuals", message_at="plan", case="base")
    done(client.send("trends/write", series=SERIES, name="Three", method="mean_of_last", amount="3", range="yes"))
    model = client.model()
    rule = model.line("kits_ordered").rules[("Coast",)]
    assert isinstance(rule, ForecastRule)
    assert rule.amounts == pytest.approx([(1284 + 1431 + 1578) / 3] * 30)
    assert (rule.name, rule.count) == ("Three", 40)
    assert [each.name for each in history(client).forecasts] == ["Order book", "Three"]
    (spread,) = [each for each in model.spreads if each.line == "kits_ordered"]
    assert (spread.members, spread.shape, spread.held) == ((("region", "Coast"),), Shape.NORMAL, 0.8)
    assert spread.plausible.low < 0 < spread.plausible.high
    page = plain(forecast(client, "&shown=Three"))
    assert "Base rests on “Three”, Mean of the last 3, from 40 known to Jun 26." in page


def test_writing_into_another_case_is_a_step_of_that_case(client):
    before = client.model()
    client.begin("actuals", message_at="plan", case="worst")
    done(client.send("trends/write", series=SERIES, name="Low", method="last_year", amount="-20"))
    steps = client.model().case("worst").changes
    assert isinstance(steps[-1].course, ByRule)
    assert steps[-1].members == (("region", "Coast"),)
    assert client.model().line("kits_ordered").rules == before.line("kits_ordered").rules
    results = client.workspace.now(1).results
    known = known_of(client.plan().model, SERIES)
    july = known.series.values[30] * 0.8
    assert results.series("kits_ordered", ("Coast",), client.workspace.now(1).place("worst"))[6] == pytest.approx(july)


def test_a_forecast_is_kept_shown_again_and_dropped(client):
    client.begin("actuals", message_at="plan", case="base")
    done(client.send("trends/keep", series=SERIES, name="Flat", method="mean_of_last", amount="12", inside="0.9"))
    page = forecast(client, "&shown=Flat")
    assert 'value="mean_of_last" selected' in page
    assert 'value="12"' in page
    done(client.send("trends/forget", series=SERIES, name="Flat"))
    assert [each.name for each in history(client).forecasts] == ["Order book"]
    refused(client.send("trends/forget", series=SERIES, name="Flat"), "Order book")


def test_trying_is_in_the_sketch_and_leaves_the_plan(client):
    before = client.model()
    done(client.send("trends/try", series=SERIES, method="last_year", amount="50"))
    assert client.model() == before
    sketch = client.workspace.sketches.of(1, "Guest")
    assert sketch.sentences == ("Trends: Kits ordered, Coast as forecast by Last year +50 %",)


@pytest.mark.parametrize(
    ("fields", "said"),
    [
        ({"horizon": "many"}, "expected 1 to 240 months; “many” came"),
        ({"method": "last_year", "amount": "-100"}, "expected a rate like 3 %"),
        ({"season": "30"}, "season"),
        ({"name": "“a”"}, "no quotes"),
        ({"series": "dry_days"}, "is no line of the plan"),
        ({"series": "kits_ordered Cost"}, "kits_ordered Coast"),
    ],
)
def test_what_cannot_be_forecast_or_written_says_why(client, fields, said):
    client.begin("actuals", message_at="plan", case="base")
    before = client.model()
    refused(client.send("trends/write", **{"series": SERIES, "name": "a", **fields}), said)
    assert client.model() == before


def test_a_month_closed_makes_a_forecast_old_and_says_what_it_had_said(client):
    client.begin("actuals", message_at="plan", case="base")
    done(client.send("trends/write", series=SERIES, name="Order book", whole="yes"))
    assert client.model().line("kits_ordered").rules[("Coast",)].amounts == history(client).forecasts[0].amounts
    closing = close_month(Closing(Month(2026, 7)), {("kits_ordered", ("Coast",)): 1800.0}, "Jul 26 closed")
    client.store.edit(1, "Ines", client.revision(), closing)
    page = plain(forecast(client))
    said = history(client).forecasts[0].amounts[0]
    assert f"For Jul 26 “Order book” had said {said:,.0f}; 1,800 came" in page
    assert "1 more month known since: make it anew." in page
    done(client.send("trends/write", series=SERIES, name="Order book", whole="yes"))
    rule = client.model().line("kits_ordered").rules[("Coast",)]
    assert (rule.start, rule.count) == (Month(2026, 8), 41)


def test_forecasts_kept_in_the_demo_come_out_the_same(client):
    model = client.plan().model
    for region in ("Coast", "Valley", "Upland"):
        known = known_of(model, f"kits_ordered {region}")
        (kept,) = known.history.forecasts
        made = make_forecast(known.series, settings_of(kept.recipe, known, model.timeline))
        assert made.amounts.tolist() == list(kept.amounts)
        assert made.label == kept.label


def test_a_forecast_that_ends_before_the_plan_says_what_comes_then(client):
    page = plain(forecast(client, "&method=seasonal_naive&horizon=12"))
    assert "The forecast ends in Jun 27; from then on its last 12 months are repeated." in page


def test_a_series_without_figures_is_shown_and_says_so(client):
    done(client.send("history/read", text="month,Rain\n2025-01,1\n2025-02,2\n2025-03,3"))
    done(client.send("history/take", line="", source=[], place=[]))
    for month in ("2025-01", "2025-02", "2025-03"):
        done(client.send("history/step", series="rain", do="leave out", **{"in": month}))
    for view in ("history", "history&look=years", "history&look=parts", "trends"):
        page = plain(client.read(f"?view={view}&series=rain"))
        assert "Rain" in page
    assert "has no values; give it at least 3 months" in page


def test_an_empty_model_says_how_to_begin(client):
    for each in client.model().histories:
        done(client.send("history/remove", series=each.name))
    assert "kits_ordered" not in [each.line for each in client.model().histories]
    assert "bring in more history" in client.read("?view=history")


def test_somebody_elses_step_on_the_same_series_is_a_conflict(client):
    seen = client.revision()
    client.store.edit(1, "Okan", seen, set_history_steps(SERIES, (), "Okan took all back"))
    reply = client.send("history/step", series=SERIES, do="since", **{"in": "2024-01"}, seen=str(seen))
    assert "Okan" in reply.text
    assert history(client).steps == ()


def test_forty_series_come_in_two_are_cleaned_and_a_forecast_goes_into_the_plan(page, address):
    rows = ["month\tregion\t" + "\t".join(["Kits ordered", *(f"Product {k}" for k in range(12))])]
    for year in (2023, 2024, 2025):
        for month in range(1, 13):
            for place, region in enumerate(("Coast", "Valley", "Upland")):
                level = 500 + 100 * place + 20 * (year - 2023) + 15 * min(month, 13 - month)
                rows.append(f"{year}-{month:02d}\t{region}\t" + "\t".join(str(level + 7 * k) for k in range(13)))
    page.goto(f"{address}/m/1/actuals?view=history")
    page.get_by_text("bring in more history").click()
    page.get_by_label("Months and numbers, pasted").fill("\n".join(rows))
    page.get_by_role("button", name="Read it").click()
    page.get_by_role("button", name="Take in 39 series").click()
    expect(page.get_by_role("heading", name="40 series")).to_be_visible(timeout=30_000)
    page.get_by_role("link", name="Kits ordered, Upland").first.click()
    page.get_by_text("add a step").click()
    page.get_by_label("Month", exact=True).fill("Mar 24")
    page.get_by_label("What happened").fill("strike")
    page.get_by_role("button", name="Take it").click()
    expect(page.get_by_text("Mar 24 left out: strike")).to_be_visible()
    page.get_by_role("link", name="Forecast it").click()
    page.get_by_label("Method").select_option("last_year")
    expect(page.get_by_label("Rate")).to_be_visible(timeout=60_000)
    page.get_by_label("Rate").fill("5 %")
    page.get_by_role("button", name="Forecast", exact=True).click()
    expect(page.get_by_text("FY27 kits")).to_be_visible(timeout=60_000)
    page.get_by_role("button", name="Write into Base").click()
    expect(page.get_by_text(re.compile("Base rests on “Usual”, Last year \\+5 %"))).to_be_visible(timeout=60_000)
    chart = page.get_by_role("application", name=re.compile("Kits ordered, Upland"))
    chart.focus()
    page.keyboard.press("End")
    expect(page.get_by_text(re.compile("Dec 28: .* forecast"))).to_be_visible()


def test_keys_lead_from_step_to_step_and_from_series_to_series(page, address):
    page.goto(f"{address}/m/1/actuals?view=trends&series={SERIES}&method=naive&horizon=3")
    expect(page.get_by_text(re.compile("Off by"))).to_be_visible(timeout=60_000)
    page.keyboard.press("Alt+2")
    assert page.evaluate("document.activeElement.closest('li').textContent").find("Sep 24") > 0
    page.keyboard.press("Alt+z")
    page.wait_for_url("**original=yes**")
    expect(page.get_by_text(re.compile("Off by"))).to_be_visible(timeout=60_000)
    page.keyboard.press("Alt+z")
    page.wait_for_url(lambda url: "original" not in url)
    page.keyboard.press("PageDown")
    page.wait_for_url("**kits_ordered+Valley**")
    page.keyboard.press("PageUp")
    page.wait_for_url("**kits_ordered+Coast**")
    page.keyboard.press("Escape")
    page.wait_for_url(lambda url: "series=" not in url)
