"""A figure under a period's name is the whole period's, whatever months are in view."""

import re
from dataclasses import replace

import numpy as np
import pytest

from tests.kit.desk import demo_model, done
from widefork.core.axes import Grain, Month, Timeline
from widefork.core.lines import OverMembers, OverTime
from widefork.web.shared import formats

PAGES = [
    "drivers?open=staff,kit_customers,term_loan,settled", "terms?open=kit_customers", "terms?open=term_loan",
    "people?show=movement", "people?show=cost", "people?show=work", "statements?show=income",
    "statements?show=cash_flow", "statements?show=balance", "waterline?",
]  # fmt: skip
LENSES = [("2026-04", "2027-06"), ("2026-02", "2026-02"), ("2026-12", "2027-01"), ("2027-11", "2028-11"), ("", "")]
CELL = re.compile(r'<td[^>]* id="[csw]-([^"]+?)-(FY\d{4}|\d{4}Q\d)(?:-total)?"[^>]*>(.*?)</td>', re.S)


def months_of(timeline, key):
    """The months of a period by its key, found apart from the code that makes columns."""
    return [
        place for place, month in enumerate(timeline.months)
        if key in (f"FY{month.year}", f"{month.year}Q{(month.month + 2) // 3}")
    ]  # fmt: skip


def rolled(line, months, weights):
    match line.rollup.over_time:
        case OverTime.SUM:
            return months.sum()
        case OverTime.END:
            return months[-1]
        case OverTime.START:
            return months[0]
        case OverTime.MEAN:
            return months.mean()
        case OverTime.WEIGHTED if weights.any():
            return float(np.average(months, weights=weights))
    return months[0] if np.ptp(months) == 0 else None


def figures(client, page, lens, grain):
    snapshot = client.workspace.now(1)
    reply = client.get(f"/m/1/{page}&from={lens[0]}&to={lens[1]}&by={grain}")
    assert reply.status_code == 200
    for name, key, inner in CELL.findall(reply.text):
        line = snapshot.model.line_by_name.get(name.rstrip("-"))
        if line is not None:
            yield line, key, re.sub(r"<[^>]+>", "", inner).strip()


@pytest.mark.parametrize("grain", ["quarter", "year"])
@pytest.mark.parametrize("page", PAGES)
def test_any_cell_under_a_periods_name_is_the_periods_own_figure(client, page, grain):
    snapshot = client.workspace.now(1)
    seen = 0
    for lens in LENSES:
        for line, key, text in figures(client, page, lens, grain):
            if line.rollup.numerator or (line.dimensions and line.rollup.over_members is not OverMembers.SUM):
                continue
            months = snapshot.results.values(line.name)[..., 0]
            together = months.sum(axis=tuple(range(months.ndim - 1)))
            months = together[months_of(snapshot.model.timeline, key)]
            weights = snapshot.results.values(line.rollup.denominator or line.name)
            weights = weights.sum(axis=tuple(range(weights.ndim - 2)))[months_of(snapshot.model.timeline, key), 0]
            # the row of headroom says: narrowest month
            value = months.min() if line.name == "headroom" else rolled(line, months, weights)
            shown = {""} if value is None else {formats.line_cell(value, line), formats.cell(value, line.unit)}
            assert text in shown, (lens, line.name, key)
            seen += 1
    assert seen > 20


def test_quarters_and_years_are_all_there_at_first_and_months_are_where_they_were(client):
    page = client.get("/m/1/statements?case=base&from=2026-04&to=2027-06&by=month").text
    year = re.search(r'href="(/m/1/statements\?[^"]*by=year[^"]*)"', page)[1].replace("&amp;", "&")
    heads = re.findall(r"<th[^>]*>(FY\d\d)", client.get(year).text)
    assert list(dict.fromkeys(heads)) == ["FY26", "FY27", "FY28"]
    back = re.search(r'href="(/m/1/statements\?[^"]*by=month[^"]*)"', client.get(year).text)[1]
    assert "from=2026-04&amp;to=2027-06" in back


def test_a_year_the_timeline_cuts_says_so_and_takes_no_growth(client):
    client.page = "frame"
    done(client.send("timeline", start="2026-01", months="32", last_actual="2026-06", fiscal_year_start="1"))
    for page in ("drivers?", "statements?show=income", "terms?open=term_loan", "people?show=cost", "waterline?"):
        text = client.get(f"/m/1/{page}&by=year&from=2026-01&to=2028-08").text
        assert text.count("8 of 12 months") in (1, 2), page  # once a table
    assert "8 of 12 months" in client.get("/m/1/lookout").text
    assert "8 of 12 months" in client.get("/m/1/outgoings").text
    grown = client.get("/m/1/statements?show=income&by=year&beside=growth").text
    row = re.search(r'id="s-revenue-FY2026".*?</tr>', grown, re.S)[0]
    asides = re.findall(r'class="[^"]*aside[^"]*"[^>]*>([^<]*)<', row)
    assert [bool(text.strip()) for text in asides] == [False, True, False]


@pytest.mark.parametrize("start", range(1, 13))
def test_a_range_widens_to_whole_periods_within_the_timeline(start):
    timeline = Timeline(Month(2026, 3), 31, start)
    for grain in Grain:
        for first in range(0, 31, 3):
            for last in range(first, 31, 4):
                begin, end = timeline.whole(grain, timeline.months[first], timeline.months[last])
                periods = timeline.periods(grain, begin, end)
                assert begin <= timeline.months[first] <= timeline.months[last] <= end
                assert all(p == next(q for q in timeline.periods(grain) if q.key == p.key) for p in periods)
                assert all(not p.is_cut or p.first == timeline.start or p.last == timeline.end for p in periods)


def test_a_period_that_is_not_whole_says_which_part_is_there():
    timeline = Timeline(Month(2026, 4), 10)
    assert [period.note for period in timeline.fiscal_years()] == ["9 of 12 months", "1 of 12 months"]
    assert [period.note for period in timeline.periods(Grain.MONTH)] == [""] * 10
    assert not any(period.is_cut for period in replace(demo_model().timeline).fiscal_years())
    assert np.prod([len(period) for period in timeline.fiscal_years()]) == 9
