"""Pictures, tables and sentences of a series and its forecast, against what they are drawn from."""

import json
import re
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import given, model_of
from widefork.core.analysis.trends import (
    Series,
    filled_of,
    kept_forecast,
    known_of,
    make_forecast,
    settings_of,
)
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue
from widefork.core.history import Gaps, History, KeptForecast, Recipe, Step, StepKind
from widefork.web.pages.actuals.past.steps import read_step, step_rows, suggestions
from widefork.web.pages.actuals.trends.asked import asked_of, read_asked
from widefork.web.pages.actuals.trends.chart import (
    HEIGHT,
    LEFT,
    RIGHT,
    WIDTH,
    draw_off,
    draw_overlay,
    draw_picture,
    signed_percent,
)
from widefork.web.pages.actuals.trends.writing import name_of_forecast, range_of

NAN = float("nan")
VALUES = tuple(100 + 3 * place + round(25 * float(np.sin(place * np.pi / 6))) for place in range(36))


def known(values=VALUES, steps=(), per_year=12, doubled=None, **more):
    history = History("visits", Month(2023, 1), tuple(values), (), per_year, steps=steps, doubled=doubled or {}, **more)
    return known_of(model_of(given("visits", 100, unit="visits"), months=24, histories=(history,)), "visits")


def timeline():
    return model_of(given("visits", 100), months=24).timeline


def made_of(series, **recipe):
    return make_forecast(series.series, settings_of(Recipe(**recipe), series, timeline()))


def xs(path):
    return [float(x) for x in re.findall(r"[ML](-?[\d.]+) ", path)]


def test_a_picture_runs_from_the_first_month_known_to_the_last_one_forecast():
    series = known()
    made = made_of(series, horizon=12, method="seasonal_naive")
    picture = draw_picture(series, timeline(), made, None)
    assert xs(picture.line)[0] == LEFT
    assert xs(picture.forecast)[-1] == WIDTH - RIGHT
    assert xs(picture.forecast)[0] == xs(picture.line)[-1] == picture.split[0] == picture.last[0]
    assert picture.split[1] == "36 months"
    walk = json.loads(picture.months)
    assert len(walk) == 48
    assert walk[0][2] == "Jan 23: 100"
    assert walk[-1][2].startswith(f"Dec 26: {VALUES[-1]:,.0f} forecast")
    assert all(0 <= y <= HEIGHT for _, y, _ in walk)


def test_years_stand_with_their_totals_and_growth_only_where_they_are_whole():
    made = made_of(known(VALUES[:30]), horizon=6, method="naive")
    marks = draw_picture(known(VALUES[:30]), timeline(), made, None).years
    totals = [sum(VALUES[:12]), sum(VALUES[12:24]), sum(VALUES[24:30]) + 6 * VALUES[29]]
    assert [mark.words for mark in marks] == [
        f"{totals[0]:,.0f}", f"{totals[1]:,.0f} {signed_percent(totals[1] / totals[0] - 1)}",
        f"{totals[2]:,.0f} {signed_percent(totals[2] / totals[1] - 1)}",
    ]  # fmt: skip
    assert draw_picture(known(VALUES[:30]), timeline(), None, None).years[-1].words == ""


def test_steps_are_tagged_where_they_are_and_one_that_cannot_be_is_not():
    values = [*VALUES[:20], NAN, *VALUES[21:]]
    steps = (
        Step(StepKind.GAP, Month(2024, 9), Gaps.INTERPOLATE.value),
        Step(StepKind.LEAVE_OUT, Month(2023, 5), note="fair"),
        Step(StepKind.DOUBLED, Month(2023, 2), "mean"), Step(StepKind.SINCE, Month(2023, 3)),
    )  # fmt: skip
    series = known(values, steps)
    tags = draw_picture(series, timeline(), None, None).tags
    assert [(tag.number, tag.words, tag.is_gap, tag.is_line) for tag in tags] == [
        (1, "no figure", True, False), (2, f"fair, {VALUES[4]:,.0f}", False, False), (4, "from here", False, True),
    ]  # fmt: skip
    rows = step_rows(series, filled_of(series))
    assert (rows[0].before, rows[0].after) == ("–", f"{(VALUES[19] + VALUES[21]) / 2:,.0f}")
    assert "only once" in rows[2].fault
    assert [row.title for row in rows][1] == "May 23 left out: fair"


def test_a_value_far_above_all_others_does_not_flatten_them():
    values = [*VALUES[:20], 5000.0, *VALUES[21:]]
    series = known(values, (Step(StepKind.LEAVE_OUT, Month(2024, 9)),))
    (tag,) = draw_picture(series, timeline(), None, None).tags
    assert tag.is_beyond
    (own,) = draw_picture(series, timeline(), None, None, shows_original=True).tags
    assert not own.is_beyond


def test_years_over_one_another_end_where_they_are_known():
    series = known(VALUES[:30])
    overlay = draw_overlay(series, timeline(), filled_of(series), np.zeros(0))
    assert [label for _, label, *_ in overlay.years] == ["FY23", "FY24", "FY25"]
    ends = [x for _, _, x, _, _ in overlay.years]
    assert ends[0] == ends[1] > ends[2]
    heights = sorted(y for _, _, _, y, _ in overlay.years)
    assert all(two - one >= 11 for one, two in pairwise(heights))
    yearly = known((5.0, 6.0, 7.0), per_year=1)
    assert draw_overlay(yearly, timeline(), filled_of(yearly), np.zeros(0)) is None


def test_what_is_taken_stands_beside_the_simple_ones():
    off = draw_off(made_of(known(), horizon=6, method="line"))
    assert {label for _, label, _, _ in off.lines} == {"chosen", "last value", "last year’s"}
    assert [is_taken for *_, is_taken in off.lines].count(True) == 1
    assert (
        draw_off(make_forecast(Series("x", Month(2026, 1), np.array([1.0, 2, 3])), made_of(known()).settings)) is None
    )


recipes = st.one_of(
    st.builds(Recipe, st.sampled_from(["best", "theta", "mean_of_best"]), st.just(0.0), st.integers(0, 60),
              st.integers(0, 24), st.sampled_from([0.5, 0.8, 0.9, 0.95]), st.sampled_from(Gaps),
              st.sampled_from([None, True, False]), st.booleans(),
              st.none() | st.integers(0, 99).map(lambda n: n / 100)),
    st.integers(-99, 300).map(lambda rate: Recipe("last_year", rate / 100)),
    st.integers(1, 24).map(lambda count: Recipe("mean_of_last", float(count))),
)  # fmt: skip


@law(100)
@drawn(recipes)
def test_a_recipe_comes_back_from_its_sentence(recipe):
    asked = read_asked(asked_of(recipe), known())
    assert asked.faults == {}
    found = asked.recipe
    assert replace(found, amount=round(found.amount, 9)) == replace(recipe, amount=round(recipe.amount, 9))


def test_ends_of_a_forecast_are_shares_of_all_of_it():
    kept = KeptForecast("a", Recipe(), Month(2026, 1), (100.0, 300.0), (80.0, 280.0), (130.0, 350.0))
    found = range_of(kept)
    assert (found.low, found.likely, found.high, found.is_relative) == (-0.1, 0, 0.2, True)
    with pytest.raises(InvalidValue, match="Too little is known"):
        range_of(replace(kept, low=(), high=()))
    with pytest.raises(InvalidValue, match="forecast of nothing"):
        range_of(replace(kept, amounts=(0.0, 0.0)))


def test_too_few_values_have_no_ends():
    short = known(VALUES[:4])
    kept = kept_forecast("a", Recipe(), made_of(short, horizon=3))
    assert (kept.low, kept.high, kept.count) == ((), (), 4)


def test_names_are_tidied_and_those_that_could_not_be_read_back_refused():
    assert name_of_forecast({"name": "  My   own "}) == "My own"
    assert name_of_forecast({}) == "Usual"
    for name in ("x" * 61, "a “b”"):
        with pytest.raises(InvalidValue, match="up to 60 characters"):
            name_of_forecast({"name": name})


def test_suggestions_are_forms_that_can_be_sent():
    values = [*VALUES[:14], NAN, *VALUES[15:20], 900.0, *VALUES[21:]]
    series = known(values, doubled={Month(2025, 6): (10.0, 12.0)})
    for each in suggestions(series):
        step = read_step({"do": each.kind, "in": each.month, "way": each.way}, series)
        assert step.month.label in each.words
