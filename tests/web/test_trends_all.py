"""All series at once: studied with progress, in groups, made to add up, written into the plan in one gesture."""

import math
import re
import time
from dataclasses import replace

import pytest
from playwright.sync_api import expect

from tests.kit.desk import done, plain, refused
from widefork.core.analysis.trends import known_of, make_forecast, settings_of, study_many
from widefork.core.axes import Month
from widefork.core.changes import ByRule
from widefork.core.closing import Closing
from widefork.core.history import History, Recipe
from widefork.core.rules import Forecast as ForecastRule
from widefork.store.edits import close_month, take_histories
from widefork.web.pages.actuals.many import studying

KITS = [f"kits_ordered {region}" for region in ("Coast", "Valley", "Upland")]


@pytest.fixture
def client(client):
    return client.begin("actuals", message_at="all", case="base")


def studied(client, query=""):
    """The page once everything is studied."""
    for _ in range(400):
        page = client.read(f"?view=trends{query}")
        if "progress-line" not in page:
            return plain(page)
        time.sleep(0.2)
    raise AssertionError("not everything was studied")


def test_every_series_stands_in_its_group_with_what_it_is_worth(client):
    page = studied(client, "&horizon=12")
    assert re.search(r"\d of 4 can be trusted, and they carry \d+ % of the weight\.", page)
    for label in ("Kits ordered, Coast", "Kits ordered, Valley", "Kits ordered, Upland", "Dry days"):
        assert f">{label}</a>" in page
    assert 'aria-label="Write Dry days"' not in page
    model = client.plan().model
    known = known_of(model, KITS[0])
    made = make_forecast(known.series, settings_of(Recipe(horizon=12), known, model.timeline))
    assert f"{made.candidate.accuracy.off * 100:.1f}" in page


def test_members_are_made_to_add_up_and_what_that_moved_is_said(client):
    page = studied(client, "&horizon=18&adding=parts")
    rows = re.findall(
        r'<td class="l">(Kits ordered[^<]*)</td><td>([\d,]+)</td><td>([\d,]*)</td><td><b>([\d,]+)</b>', page
    )
    amounts = {label: float(together.replace(",", "")) for label, _, _, together in rows}
    assert amounts["Kits ordered, all"] == pytest.approx(sum(list(amounts.values())[1:]), abs=2)
    assert "Made to add up" not in studied(client, "&horizon=18&adding=")


def test_chosen_ones_go_into_base_and_their_low_into_worst_in_one_gesture(client):
    studied(client, "&horizon=12")
    before, before_all = client.revision(), client.model()
    form = {"horizon": "12", "adding": "least", "name": "Order book", "low_case": "worst"}
    done(client.send("trends/write_all", chosen=KITS[:2], **form))
    assert client.revision() == before + 1
    model = client.model()
    rules = model.line("kits_ordered").rules
    was = before_all.line("kits_ordered").rules
    assert [rules[(region,)] != was[(region,)] for region in ("Coast", "Valley", "Upland")] == [True, True, False]
    assert all(isinstance(rules[(region,)], ForecastRule) for region in ("Coast", "Valley"))
    lows = [change for change in model.case("worst").changes if isinstance(change.course, ByRule)][-2:]
    assert [change.members for change in lows] == [(("region", "Coast"),), (("region", "Valley"),)]
    assert all(low < own for low, own in zip(lows[0].course.rule.amounts, rules[("Coast",)].amounts, strict=True))
    client.store.undo(1, "Guest")
    assert client.model().line("kits_ordered").rules == was


@pytest.mark.parametrize(
    ("form", "said"),
    [
        ({}, "Nothing is chosen"),
        ({"chosen": ["dry_days"]}, "“dry_days” cannot be written"),
        ({"chosen": KITS[:1], "low_case": "base"}, "choose another case for their low"),
        ({"chosen": KITS[:1], "horizon": "x"}, "expected 1 to 240 months"),
    ],
)
def test_what_cannot_be_written_says_why_and_nothing_is(client, form, said):
    studied(client, "&horizon=12")
    before = client.model()
    refused(client.send("trends/write_all", **{"horizon": "12", "adding": "least", "name": "a", **form}), said)
    assert client.model() == before


def test_a_study_can_be_stopped_and_keeps_what_is_done(client):
    done(client.send("trends/stop", horizon="7"))
    page = studied(client, "&horizon=7")
    assert "can be trusted" in page
    if "left when it was stopped" in page:
        done(client.send("trends/go_on", horizon="7"))
        page = studied(client, "&horizon=7")
    assert "of 4 can be trusted" in page
    assert "go on with" not in page


def test_a_step_on_one_series_lets_only_that_one_be_forecast_again(client, monkeypatch):
    studied(client, "&horizon=8")
    made = []

    def counted(tasks, executor, told):
        made.extend(series.name for series, _ in tasks)
        return study_many(tasks, executor, told)

    monkeypatch.setattr(studying, "study_many", counted)
    done(client.send("history/step", series="dry_days", do="leave out", **{"in": "2025-03"}))
    studied(client, "&horizon=8")
    assert made == ["Dry days"]


def test_without_anything_known_the_page_says_how_to_begin(client):
    client.begin("actuals", message_at="history")
    for each in client.model().histories:
        done(client.send("history/remove", series=each.name))
    assert "kits_ordered" in studied(client, "&horizon=6") or "Bring in what happened" in client.read("?view=trends")


def close_july(client, *amounts):
    regions = ("Coast", "Valley", "Upland")
    figures = {("kits_ordered", (region,)): amount for region, amount in zip(regions, amounts, strict=True)}
    closing = close_month(Closing(Month(2026, 7)), figures, "Jul 26 closed")
    client.store.edit(1, "Ines", client.revision(), closing)


def test_a_month_closed_makes_forecasts_anew_wherever_the_plan_rests_on_them(client):
    assert "Every forecast the plan rests on is made from all that is known." in plain(
        client.read("?view=trends&anew=yes")
    )
    studied(client, "&horizon=12&adding=parts")
    form = {"horizon": "12", "adding": "parts", "name": "Order book", "low_case": "worst"}
    done(client.send("trends/write_all", chosen=KITS, **form))
    before = client.model()
    close_july(client, 1800.0, 1100.0, 700.0)
    assert "3 forecasts the plan rests on were made before all that is known now." in studied(client, "&horizon=12")
    assert "make them anew" in plain(client.read("?close=2026-07"))
    page = studied(client, "&anew=yes")
    said = known_of(before, KITS[0]).history.forecasts[0].amounts[0]
    assert f"Jul 26: said {said:,.0f}, 1,800 came" in page
    assert "Base, Worst (low)" in page
    revision = client.revision()
    done(client.send("trends/write_anew", chosen=[f"{KITS[0]}/Order book"]))
    assert client.revision() == revision + 1
    model = client.model()
    rule = model.line("kits_ordered").rules[("Coast",)]
    kept = known_of(model, KITS[0]).history.forecasts[0]
    assert (rule.start, rule.count, rule.amounts) == (Month(2026, 8), 41, kept.amounts)
    (low,) = [each for each in model.case("worst").changes if each.members == (("region", "Coast"),) and each.course]
    assert low.course.rule.amounts == kept.low
    assert model.line("kits_ordered").rules[("Valley",)] == before.line("kits_ordered").rules[("Valley",)]
    assert "2 forecasts the plan rests on" in plain(client.read("?view=trends&anew=yes"))
    client.store.undo(1, "Guest")
    assert known_of(client.model(), KITS[0]).history.forecasts == known_of(before, KITS[0]).history.forecasts


def test_members_known_to_different_months_are_not_added_up_and_that_is_said(client):
    closing = close_month(Closing(Month(2026, 7)), {("kits_ordered", ("Coast",)): 1800.0}, "Jul 26 closed")
    client.store.edit(1, "Ines", client.revision(), closing)
    page = studied(client, "&horizon=12&adding=parts")
    assert "Made to add up" not in page
    assert "Kits ordered is not made to add up: its members are not all known, or not to the same month." in page


def test_what_is_up_to_date_or_not_ticked_is_not_made_anew(client):
    refused(client.send("trends/write_anew"), "Nothing is chosen")
    refused(client.send("trends/write_anew", chosen=[f"{KITS[0]}/Usual"]), "is up to date by now")


def test_a_short_one_borrows_the_shape_of_a_like_one_where_that_is_chosen(client):
    known = known_of(client.plan().model, KITS[2]).history
    short = replace(known, start=Month(2026, 1), values=known.values[-4:], doubled={}, steps=(), forecasts=())
    done(client.send("history/remove", series=KITS[2]))
    client.store.edit(1, "Guest", client.revision(), take_histories([short], "Upland since January"))
    page = studied(client, "&horizon=12")
    assert "too short: 6 months" in page
    (link,) = re.findall(r'href="([^"]*)">borrow the shape of Kits ordered, Valley<', page)
    page = studied(client, "&" + link.replace("&amp;", "&").partition("?")[2])
    assert "too short" not in page
    assert "shape of kits ordered, valley" in page
    done(client.send("trends/write_all", chosen=[KITS[2]], horizon="12", name="New", borrow=KITS[2]))
    (kept,) = known_of(client.model(), KITS[2]).history.forecasts
    assert (kept.recipe.method, kept.recipe.like, kept.label) == (
        "shape_of_another", KITS[1], "Shape of Kits ordered, Valley",
    )  # fmt: skip
    single = client.read(f"?view=trends&series={KITS[2]}&method=shape_of_another")
    assert f'<option value="{KITS[1]}" selected>' in single


def test_a_changed_level_offers_to_begin_where_it_changed(client):
    wave = [100 + 20 * math.sin(place * math.pi / 6) + place % 3 for place in range(48)]
    values = tuple(value * (0.4 if place < 24 else 1) for place, value in enumerate(wave))
    edit = take_histories([History("hail", Month(2022, 1), values, label="Hail")], "hail")
    client.store.edit(1, "Guest", client.revision(), edit)
    page = studied(client, "&horizon=6")
    assert "level changed in Jan 24" in page
    assert "begin with Jan 24" in page
    done(client.send("history/step", series="hail", do="since", **{"in": "2024-01"}))
    assert "level changed in" not in studied(client, "&horizon=6")


def test_forecasts_are_tried_in_a_sketch_before_they_are_written(client):
    studied(client, "&horizon=12")
    before = client.model()
    done(client.send("trends/try_all", chosen=KITS[:2], horizon="12", name="a"))
    assert client.model() == before
    page = plain(client.read("?view=trends&horizon=12"))
    assert "2 forecasts" in page
    refused(client.send("trends/try_all", horizon="12", name="a"), "Tick the series whose forecasts are to be tried")


def test_ticks_and_the_place_are_still_there_after_one_was_looked_at(page, address):
    page.goto(f"{address}/m/1/actuals?view=trends&horizon=6")
    expect(page.get_by_text(re.compile("can be trusted"))).to_be_visible(timeout=90_000)
    page.get_by_role("link", name="Kits ordered, Coast", exact=True).focus()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Space")
    expect(page.get_by_label("Write Kits ordered, Valley")).not_to_be_checked()
    page.keyboard.press("Enter")
    page.get_by_role("link", name="back to all 4 series").click()
    expect(page.get_by_label("Write Kits ordered, Valley")).not_to_be_checked(timeout=60_000)
    expect(page.get_by_label("Write Kits ordered, Coast")).to_be_checked()
    expect(page.get_by_role("link", name="Kits ordered, Valley", exact=True)).to_be_focused()


def test_one_is_opened_from_the_list_and_the_list_is_still_there(page, address):
    page.goto(f"{address}/m/1/actuals?view=trends&horizon=6")
    expect(page.get_by_text(re.compile("can be trusted"))).to_be_visible(timeout=90_000)
    page.get_by_label("Write Kits ordered, Upland").uncheck()
    page.get_by_role("link", name="Kits ordered, Valley").click()
    expect(page.get_by_text("Off by")).to_be_visible(timeout=60_000)
    page.get_by_role("link", name="back to all 4 series").click()
    expect(page.get_by_text(re.compile("can be trusted"))).to_be_visible(timeout=60_000)


def pasted():
    """Twelve products in three regions over 42 months, by a line with a season; the first came now and then only."""
    rows = ["month\tregion\t" + "\t".join(f"Product {k}" for k in range(12))]
    for place in range(42):
        year, month = 2023 + place // 12, place % 12 + 1
        for at, region in enumerate(("Coast", "Valley", "Upland")):
            season = 1 + 0.2 * math.sin(place * math.pi / 6) + 0.02 * math.cos(7 * place + at)
            cells = [f"{(500 + 100 * at + 4 * place + 10 * k) * season:.0f}" for k in range(12)]
            cells[0] = "9" if place % 4 == at else "0"
            rows.append(f"{year}-{month:02d}\t{region}\t" + "\t".join(cells))
    return "\n".join(rows)


def leave_out(page, series, month):
    page.get_by_role("link", name=series).first.click()
    page.get_by_text("add a step").click()
    page.get_by_label("Month", exact=True).fill(month)
    page.get_by_role("button", name="Take it").click()
    expect(page.get_by_text(f"{month} left out")).to_be_visible()


def test_forty_series_from_a_paste_into_the_plan_and_anew_when_a_month_is_closed(page, address):
    page.goto(f"{address}/m/1/actuals?view=history")
    page.get_by_text("bring in more history").click()
    page.get_by_label("Months and numbers, pasted").fill(pasted())
    page.get_by_role("button", name="Read it").click()
    page.get_by_role("button", name="Take in 36 series").click()
    expect(page.get_by_role("heading", name="40 series")).to_be_visible(timeout=30_000)
    leave_out(page, "Product 1, Upland", "Mar 24")
    leave_out(page, "Product 1, Valley", "Mar 25")
    page.goto(f"{address}/m/1/actuals?view=trends&method=line&horizon=12")
    expect(page.get_by_text(re.compile("of 40 can be trusted"))).to_be_visible(timeout=120_000)
    expect(page.get_by_text("3 should not be forecast as they are")).to_be_visible()
    page.get_by_label("kept as").fill("Spring")
    page.get_by_label("their low into").select_option("Worst")
    page.get_by_role("button", name="Write into Base").click()
    expect(page.locator("#latest-sentence")).to_contain_text(
        "3 forecasts “Spring” into Base, their low into Worst", timeout=60_000
    )
    page.get_by_role("link", name="Months", exact=True).click()
    page.get_by_label("Accounts and amounts, pasted").fill("Kits ordered, Coast\t1800")
    page.get_by_role("button", name="Read the books").click()
    page.get_by_role("button", name="Close Jul 26").click()
    page.get_by_role("link", name=re.compile("make .* anew")).click(timeout=60_000)
    expect(page.get_by_text(re.compile("Jul 26: said .*, 1,800 came"))).to_be_visible(timeout=60_000)
    page.get_by_role("button", name="Take those ticked as they are now").click()
    expect(page.get_by_text("Every forecast the plan rests on is made from all that is known.")).to_be_visible(
        timeout=60_000
    )
