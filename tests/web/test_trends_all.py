"""All series at once: studied with progress, in groups, made to add up, written into the plan in one gesture."""

import re
import time

import pytest
from playwright.sync_api import expect

from tests.kit.desk import done, plain, refused
from widefork.core.analysis.trends import known_of, make_forecast, settings_of
from widefork.core.changes import ByRule
from widefork.core.history import Recipe
from widefork.core.rules import Forecast as ForecastRule

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
    before = client.revision()
    form = {"horizon": "12", "adding": "least", "name": "Order book", "low_case": "worst"}
    done(client.send("trends/write_all", chosen=KITS[:2], **form))
    assert client.revision() == before + 1
    model = client.model()
    rules = model.line("kits_ordered").rules
    assert [isinstance(rules[(region,)], ForecastRule) for region in ("Coast", "Valley", "Upland")] == [
        True,
        True,
        False,
    ]
    lows = [change for change in model.case("worst").changes if isinstance(change.course, ByRule)][-2:]
    assert [change.members for change in lows] == [(("region", "Coast"),), (("region", "Valley"),)]
    assert all(low < own for low, own in zip(lows[0].course.rule.amounts, rules[("Coast",)].amounts, strict=True))
    client.store.undo(1, "Guest")
    assert not isinstance(client.model().line("kits_ordered").rules[("Coast",)], ForecastRule)


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


def test_without_anything_known_the_page_says_how_to_begin(client):
    client.begin("actuals", message_at="history")
    for each in client.model().histories:
        done(client.send("history/remove", series=each.name))
    assert "kits_ordered" in studied(client, "&horizon=6") or "Bring in what happened" in client.read("?view=trends")


def test_one_is_opened_from_the_list_and_the_list_is_still_there(page, address):
    page.goto(f"{address}/m/1/actuals?view=trends&horizon=6")
    expect(page.get_by_text(re.compile("can be trusted"))).to_be_visible(timeout=90_000)
    page.get_by_label("Write Kits ordered, Upland").uncheck()
    page.get_by_role("link", name="Kits ordered, Valley").click()
    expect(page.get_by_text("Off by")).to_be_visible(timeout=60_000)
    page.get_by_role("link", name="back to all 4 series").click()
    expect(page.get_by_text(re.compile("can be trusted"))).to_be_visible(timeout=60_000)
