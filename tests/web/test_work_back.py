"""Work back: the answer in the lever's own unit, whole where it counts things, and kept as it was found."""

import re

import pytest

ASK = "/m/1/work_back?case=base&figure=lowest_cash&sense=at+least&ask=1"


def answer(client, **more):
    asked = "&".join(f"{key}={value}" for key, value in more.items())
    return client.get(f"{ASK}&{asked}").text


def test_a_factor_is_said_in_the_lines_own_unit_with_its_months(client):
    page = answer(client, line="panel_fee", target="300000")
    said = re.search(r'id="own-unit">([^<]*)<', page)[1]
    assert re.fullmatch(
        r"392\.00 → [\d,.]+ EUR/panel in Jul 26, and so on to [\d,.]+ → [\d,.]+ EUR/panel in Dec 28", said
    ), said
    assert "× 1" in page


def test_what_counts_things_is_answered_whole(client):
    """Contracts are a step rule, so a factor; the yearly number of open days is one amount a month."""
    page = answer(client, line="panel_contracts", target="300000", low="0", high="3")
    assert re.search(r'id="own-unit">[^<]*contracts', page)


@pytest.mark.parametrize("case", ["best", "worst"])
def test_a_sketch_in_base_is_seen_in_every_case_as_it_would_be_under_it(client, case):
    before = client.get(f"/m/1/compare?case={case}").text
    client.begin("drivers", case="base", back="/m/1/drivers?case=base")
    client.post("/m/1/sketch/start", data={"case": "base", "back": "/m/1/drivers?case=base"})
    client.post("/m/1/roots/try", data={
        "line": "rent", "at": "", "case": "base", "month": "2026-09", "value": "+5000", "back": "/m/1/roots?line=rent",
    })  # fmt: skip
    sketched = client.get("/m/1/compare?case=base").text
    client.post("/m/1/sketch/keep", data={"way": "case", "seen": str(client.revision()), "back": "/m/1/compare"})
    kept = client.get("/m/1/compare?case=base").text

    def figures(page):
        return re.findall(r'hx-target="#roots">(?:<span class="when">[^<]*</span> )?([^<]+)<', page)

    assert figures(sketched) == figures(kept) != figures(before)
