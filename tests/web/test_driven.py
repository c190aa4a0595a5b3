"""What drives a series: drivers added and taken out, what they gain, each one's part, a formula in the plan."""

import re
import time

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.kit.desk import done, plain, refused
from widefork.core.analysis.trends import known_of
from widefork.core.axes import Month
from widefork.core.engine import evaluate
from widefork.core.history import History
from widefork.store.edits import take_histories

REGIONS = ("Coast", "Valley", "Upland")
SERIES = "kits_ordered Coast"
ASK = f"?view=trends&series={SERIES}&driven=yes"


def histories():
    """Adverts, a series of its own, and kits ordered: 1 % more adverts, 0.5 % more kits; no season, little noise."""
    random = np.random.default_rng(5)
    adverts = 1000 * np.exp(random.normal(0, 0.4, 60))
    found = [History("adverts", Month(2022, 1), tuple(adverts.tolist()), label="Adverts", unit="EUR")]
    for level, region in zip((1500, 1000, 600), REGIONS, strict=True):
        kits = level * (adverts[:54] / 1000) ** 0.5 * np.exp(random.normal(0, 0.02, 54))
        found.append(History("kits_ordered", Month(2022, 1), tuple(np.round(kits, 1).tolist()), (("region", region),)))
    return found


@pytest.fixture
def client(client):
    client.begin("actuals", message_at="driven", case="base")
    for name in [history.name for history in client.model().histories if history.line == "kits_ordered"]:
        done(client.send("history/remove", series=name))
    client.store.edit(1, "Guest", client.revision(), take_histories(histories(), "adverts"))
    return client


def explained(client, query):
    for _ in range(300):
        page = client.read(f"{ASK}{query}")
        if "progress-line" not in page:
            return plain(page)
        time.sleep(0.2)
    raise AssertionError("nothing was explained")


def test_drivers_are_added_one_after_the_other_and_taken_out(client):
    page = plain(client.read(ASK))
    assert "Nothing chosen yet." in page
    assert re.search('<option value="adverts" *>Adverts</option>', page)
    assert '<option value="kit_revenue"' not in page  # follows from what is explained
    page = explained(client, "&add=adverts")
    assert re.search(r"\d+ % less error than by itself, on the same tests\.", page)
    assert re.search(r"1 % more: \+0\.[45]\d %", page)
    page = explained(client, "&drives=adverts&add=@event&called=Fair&when=every may&lag=1")
    assert 'name="drives" value="adverts|@event:Fair:every 5~1"' in page
    assert " Fair</td>" in page
    assert "1 month later" in page
    (url,) = re.findall(r'href="([^"]*)" aria-label="Take out Fair"', page)
    again = explained(client, "&" + url.replace("&amp;", "&").partition("?")[2])
    assert "Fair</td>" not in again


def test_parts_sum_to_the_forecast_and_every_member_has_its_own_effect(client):
    page = explained(client, "&drives=adverts|adverts~1&add=@days")
    rows = re.findall(r'<tr class="(?:strong)?"><td class="l">([^<]*)</td>((?:<td>.*?</td>)+)</tr>', page)
    table = {label: [_number(cell) for cell in re.findall(r"<td>(.*?)</td>", cells)] for label, cells in rows}
    total = table.pop("With drivers")
    assert {"Adverts", "Adverts, 1 month later", "Working days"} <= set(table)
    for place, amount in enumerate(total):
        assert sum(cells[place] for cells in table.values()) == pytest.approx(amount, abs=len(table))
    for region in REGIONS:
        assert f">Kits ordered, {region}</a>" in page
    assert page.count("taken</td>") == 3


def _number(cell):
    text = re.sub(r"<[^>]*>", "", cell).replace("−", "-").replace(",", "").replace("+", "")
    return 0.0 if text == "–" else float(text)


def test_a_line_becomes_a_formula_whose_drivers_and_effects_cases_can_move(client):
    explained(client, "&add=adverts")
    before = client.revision()
    form = {"series": SERIES, "drives": "adverts"}
    done(client.send("trends/formula", **form))
    assert client.revision() == before + 1
    model = client.model()
    line = model.line("kits_ordered")
    assert (
        line.formula == "kits_ordered_without_moves * (adverts / kits_ordered_usual_adverts) ^ kits_ordered_by_adverts"
    )
    # the demo's six actual months are among what is known, and adverts have nothing to do with them
    assert model.line("kits_ordered_by_adverts").rules[("Coast",)].value == pytest.approx(0.5, abs=0.1)
    assert not set(client.plan().warnings) & {line.name for line in model.lines if "kits_ordered" in line.name}
    names = [each.name for each in model.lines]
    place = names.index("kits_ordered")
    assert names[place + 1 : place + 5] == [
        "kits_ordered_without_moves", "adverts", "kits_ordered_by_adverts", "kits_ordered_usual_adverts",
    ]  # fmt: skip
    spreads = [spread for spread in model.spreads if spread.line == "kits_ordered_by_adverts"]
    assert [spread.members for spread in spreads] == [(("region", region),) for region in REGIONS]
    known = known_of(model, "adverts")
    assert known.is_assumption
    assert "Kits ordered, Coast is calculated already" in explained(client, "&drives=adverts")
    client.store.undo(1, "Guest")
    assert client.model().line("kits_ordered").formula is None
    assert "adverts" not in [each.name for each in client.model().lines]


def test_what_the_page_forecasts_is_what_the_plan_then_has(client):
    page = explained(client, "&add=adverts")
    (cells,) = re.findall(r'<td class="l">With drivers</td>((?:<td>.*?</td>)+)', page)
    shown = [_number(cell) for cell in re.findall(r"<td>(.*?)</td>", cells)]
    done(client.send("trends/formula", series=SERIES, drives="adverts"))
    plan = client.plan()
    months = evaluate(plan, [()]).series("kits_ordered", ("Coast",))
    years = [plan.model.timeline.fiscal_year(month) for month in plan.model.timeline.months]
    first = plan.model.timeline.actual_count
    sums = {}
    for at in range(first, len(months)):
        sums[years[at]] = sums.get(years[at], 0.0) + months[at]
    assert shown == [pytest.approx(amount, abs=0.51) for amount in sums.values()]


@pytest.mark.parametrize(
    ("query", "said"),
    [
        ("&add=kits_ordered", "so it cannot drive it"),
        ("&add=@event&called=Fair", "An event has months"),
        ("&add=@event&called=Fair&when=Smarch", "Smarch"),
        ("&add=adverts&lag=two", "Months later: expected 0 to 24; “two” came."),
        ("&add=adverts&lag=30", "0 to 24 months later; 30 was given"),
        ("&add=advert", "adverts"),
        ("&drives=adverts&add=adverts", "This driver is there already"),
        ("&add=@days&country=XX", "XX"),
        ("&add=kit_price", "Kit price"),
    ],
)
def test_a_driver_that_cannot_be_says_why(client, query, said):
    assert said in explained(client, query)


@pytest.mark.parametrize(
    ("form", "said"),
    [
        ({}, "Choose what drives the series first"),
        ({"drives": "adverts~40"}, "0 to 24 months later"),
        ({"series": "adverts", "drives": "@days:"}, "Adverts is no line of the plan"),
        ({"series": "kits_ordered Cost", "drives": "adverts"}, "kits_ordered Coast"),
    ],
)
def test_what_cannot_become_a_formula_says_why_and_nothing_is_written(client, form, said):
    before = client.model()
    refused(client.send("trends/formula", **{"series": SERIES, **form}), said)
    assert client.model() == before


def test_what_drives_a_series_is_found_from_its_forecast(page, address):
    page.goto(f"{address}/m/1/actuals?view=trends&series={SERIES}&horizon=6&method=naive")
    page.get_by_role("link", name="what drives it").click(timeout=60_000)
    page.get_by_label("Driver").select_option("dry_days")
    page.get_by_role("button", name="Explain").click()
    expect(page.get_by_text(re.compile("error than by itself"))).to_be_visible(timeout=90_000)
    expect(page.get_by_role("link", name="Take out Dry days")).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= 1280
