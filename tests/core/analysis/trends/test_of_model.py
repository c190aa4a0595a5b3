"""The series of a model: histories and actual months as one, steps on them, forecasts as rules, what came of them."""

from dataclasses import replace

import numpy as np
import pytest

from tests.kit.small import calculated, given, model_of
from widefork.core.analysis.trends import (
    all_known,
    filled_of,
    forecast_rule,
    gathered,
    horizon_to,
    kept_forecast,
    known_names,
    known_of,
    make_forecast,
    parts_of,
    plan_rule,
    settings_of,
    suggested_steps,
    together,
    what_came,
)
from widefork.core.analysis.trends.series import Series
from widefork.core.axes import Month, Timeline
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.history import Gaps, History, Recipe, Step, StepKind
from widefork.core.lines import NO_TOTAL
from widefork.core.rules import Forecast as ForecastRule

COAST = (("region", "Coast"),)
NAN = float("nan")
WAVE = tuple(100 + 2 * place + 20 * float(np.sin(place * np.pi / 6)) for place in range(36))


def company(history=None, actuals=(130.0, 140.0), **more):
    lines = (
        given(
            "kits", 100, ("region",), actuals={("Coast",): actuals, ("Valley",): (1.0, 2.0), ("Upland",): (3.0, 4.0)}
        ),
        given("price", 5, rollup=NO_TOTAL), calculated("sales", "kits * price", ("region",)),
    )  # fmt: skip
    own = (History("kits", Month(2023, 1), WAVE, COAST),) if history is None else history
    return model_of(*lines, months=12, actual_to=Month(2026, 2), histories=own, **more)


def test_a_series_is_its_history_and_after_it_the_actual_months():
    known = known_of(company(), "kits Coast")
    assert (known.label, known.raw.start, known.key) == ("Kits, Coast", Month(2023, 1), ("Coast",))
    assert known.raw.values.tolist() == [*WAVE, 130, 140]
    assert known.is_assumption
    over = company((History("kits", Month(2025, 12), (7.0, 8.0, NAN, 9.0), COAST),), (130.0, NAN))
    np.testing.assert_array_equal(known_of(over, "kits Coast").raw.values, [7, 130, NAN, 9])


def test_without_a_history_the_actual_months_are_all_there_is():
    model = company(())
    assert known_names(model) == ("kits Coast", "kits Valley", "kits Upland")
    assert known_of(model, "kits Valley").raw.values.tolist() == [1, 2]
    with pytest.raises(InvalidValue, match="Nothing is known of Price yet"):
        known_of(model, "price")
    with pytest.raises(UnknownName):
        known_of(model, "kitz Coast")


def test_a_history_of_all_members_goes_on_with_their_sum():
    model = company(
        (History("kits", Month(2025, 12), (100.0,)), History("rain", Month(2020, 1), (5.0, 6.0), per_year=4))
    )
    whole = known_of(model, "kits")
    assert whole.raw.values.tolist() == [100, 134, 146]
    assert not whole.is_assumption
    rain = known_of(model, "rain")
    assert (rain.line, rain.raw.per_year, rain.raw.label_at(1)) == (None, 4, "2020-Q2")


def test_a_step_that_can_no_longer_be_taken_says_so_and_the_others_are_taken():
    steps = (Step(StepKind.GAP, Month(2023, 2), "zero"), Step(StepKind.LEAVE_OUT, Month(2023, 3)))
    known = known_of(company((History("kits", Month(2023, 1), WAVE, COAST, steps=steps),)), "kits Coast")
    assert list(known.faults) == [0]
    assert "no gap to fill" in known.faults[0]
    assert np.isnan(known.series.values[2])
    assert not np.isnan(known.raw.values[2])


def test_gaps_are_filled_each_in_its_way_and_stay_unknown():
    values = tuple(NAN if place in (14, 20) else value for place, value in enumerate(WAVE))
    steps = (
        Step(StepKind.GAP, Month(2024, 3), Gaps.LAST_YEAR.value),
        Step(StepKind.GAP, Month(2024, 9), Gaps.ZERO.value),
    )
    known = known_of(company((History("kits", Month(2023, 1), values, COAST, steps=steps),)), "kits Coast")
    filled = filled_of(known)
    # same month last year, times the growth of the months beside since then
    growth = (WAVE[13] + WAVE[15]) / (WAVE[1] + WAVE[3])
    assert filled[14] == pytest.approx(WAVE[2] * growth)
    assert filled[20] == known.series.values[20] == 0
    assert np.isnan(known.series.values[14])
    made = make_forecast(known.series, settings_of(Recipe(horizon=2), known, company().timeline))
    assert made.filled[14] == filled[14]


def test_what_is_worth_a_look_is_named_and_nothing_is_done():
    values = list(WAVE)
    values[14] = NAN
    doubled = {Month(2025, 6): (70.0, 80.0)}
    known = known_of(company((History("kits", Month(2023, 1), tuple(values), COAST, doubled=doubled),)), "kits Coast")
    found = {step.kind: (step.month, step.way) for step in suggested_steps(known)}
    assert found == {
        StepKind.GAP: (Month(2024, 3), "same month last year"),
        StepKind.DOUBLED: (Month(2025, 6), "mean"),
    }
    assert known.series is known.raw
    values[20] = 600.0
    flood = known_of(company((History("kits", Month(2023, 1), tuple(values), COAST),)), "kits Coast")
    assert Step(StepKind.LEAVE_OUT, Month(2024, 9)) in suggested_steps(flood)


def test_a_forecast_becomes_a_rule_to_the_end_of_the_plan():
    model = company()
    known = known_of(model, "kits Coast")
    assert horizon_to(known, model.timeline) == 10
    made = make_forecast(known.series, settings_of(Recipe(is_whole=True), known, model.timeline))
    kept = kept_forecast("Usual", Recipe(is_whole=True), made)
    rule = forecast_rule(kept, model.line("kits"), 12)
    assert (rule.start, len(rule.amounts), rule.count) == (Month(2026, 3), 10, 38)
    assert rule.values(model.timeline)[2:].tolist() == made.amounts.tolist()
    assert all(low <= amount <= high for low, amount, high in zip(kept.low, kept.amounts, kept.high, strict=True))


def test_quarters_are_spread_over_their_months_where_they_add_up():
    quarterly = Series("x", Month(2020, 1), np.arange(20.0), 4)
    settings = settings_of(Recipe(horizon=1), known_of(company(), "kits Coast"), company().timeline)
    kept = kept_forecast("a", Recipe(), make_forecast(quarterly, settings))
    flow = forecast_rule(kept, company().line("kits"), 4)
    level = forecast_rule(kept, company().line("price"), 4)
    assert sum(flow.amounts) == pytest.approx(kept.amounts[0])
    assert level.amounts == (kept.amounts[0],) * 3


def test_outside_a_forecast_its_season_is_repeated():
    rule = ForecastRule(Month(2026, 3), (1.0, 2.0, 3.0, 4.0, 5.0), "a", "b", 9, 2)
    assert rule.values(company().timeline).tolist() == [1, 2, 1, 2, 3, 4, 5, 4, 5, 4, 5, 4]


def test_what_came_is_set_against_what_was_said():
    rule = ForecastRule(Month(2026, 1), (120.0, 150.0, 160.0), "a", "b", 36)
    came = what_came(rule, known_of(company(), "kits Coast"))
    assert [(one.month, one.said, one.came) for one in came] == [
        (Month(2026, 1), 120, 130), (Month(2026, 2), 150, 140),
    ]  # fmt: skip


@pytest.mark.parametrize(("method", "amount", "expected"), [
    ("last_year", 0.1, [110, 220, 121, 242]), ("last_year", 0.0, [100, 200, 100, 200]),
    ("mean_of_last", 2, [150] * 4), ("mean_of_last", 1, [200] * 4),
    # the first half had 5/11, 7/15 and 1/3 of its year: 23/55 on the mean, of 300 and 10 % more each year
    ("shape_of_years", 0.1, [138, 192, 151.8, 211.2]),
    ("shape_of_years", 0.0, [300 * 23 / 55, 300 * 32 / 55] * 2),
])  # fmt: skip
def test_simple_ways_by_hand(method, amount, expected):
    half_years = Series("x", Month(2022, 1), np.array([50.0, 60, 70, 80, 100, 200]), 2)
    known = known_of(company(), "kits Coast")
    made = make_forecast(
        half_years, settings_of(Recipe(method=method, amount=amount, horizon=4), known, company().timeline)
    )
    assert made.amounts == pytest.approx(expected)
    assert made.method == method


def test_simple_ways_that_cannot_be_say_why():
    known, timeline = known_of(company(), "kits Coast"), company().timeline
    for method, amount, said in (
        ("shape_of_years", -1, "more than -100 %"),
        ("last_year", -1, "more than -100 %"),
        ("mean_of_last", 0, "1, 2, 3 or more"),
    ):
        with pytest.raises(InvalidValue, match=said):
            settings_of(Recipe(method=method, amount=amount), known, timeline)


def test_longer_periods_are_sums_or_means_and_only_whole_ones_known():
    series = Series("x", Month(2025, 2), np.arange(1.0, 13.0))
    quarters = gathered(series, 4, True)
    assert quarters.start == Month(2025, 1)
    np.testing.assert_array_equal(quarters.values, [NAN, 3 + 4 + 5, 6 + 7 + 8, 9 + 10 + 11, NAN])
    assert gathered(series, 4, False).values[1] == 4
    april = gathered(series, 1, True, 4)
    assert april.start == Month(2024, 4)
    assert np.isnan(april.values).all()
    with pytest.raises(InvalidValue, match="cannot be shown by month"):
        gathered(quarters, 12, True)


def test_trend_season_and_rest_add_up():
    parts = parts_of(Series("x", Month(2023, 1), np.array(WAVE)))
    assert parts.season == 12
    np.testing.assert_allclose(parts.trend + parts.seasonal + parts.rest, WAVE)
    with pytest.raises(InvalidValue, match="shows no season"):
        parts_of(Series("x", Month(2023, 1), np.array(WAVE[:14])))


def test_two_series_go_together_in_the_months_both_know():
    one, other = (
        Series("a", Month(2025, 1), np.array([1.0, 2, NAN, 4])),
        Series("b", Month(2025, 2), np.array([9.0, 8, 7, 6])),
    )
    with pytest.raises(InvalidValue, match="known together in 2 months"):
        together(one, other)
    found = together(Series("a", Month(2025, 1), np.array([1.0, 2, 3, 4])), other)
    assert found.months == (Month(2025, 2), Month(2025, 3), Month(2025, 4))
    assert found.correlation == pytest.approx(-1)


def test_months_known_beyond_the_boundary_stand_before_the_forecast():
    values = (*WAVE, 90.0, NAN, 92.0, 93.0)  # to April 2026, two months into the plan
    model = company((History("kits", Month(2023, 1), values, COAST),), (NAN, NAN))
    known = known_of(model, "kits Coast")
    made = make_forecast(known.series, settings_of(Recipe(method="naive"), known, model.timeline))
    rule = plan_rule(known, kept_forecast("a", Recipe(), made), model.timeline)
    assert (rule.start, rule.amounts[:3]) == (Month(2026, 3), (92, 93, 93))
    assert rule.values(model.timeline)[2:].tolist() == [92, *[93] * 9]


def test_everything_known_is_what_is_known_of_each_name():
    model = company()
    assert [known.name for known in all_known(model)] == list(known_names(model))
    assert all_known(model)[0].raw.values.tolist() == known_of(model, "kits Coast").raw.values.tolist()
    assert known_names(replace(company(()), timeline=Timeline(Month(2026, 1), 12))) == ()


def test_a_history_of_nothing_is_no_reason_to_fail():
    empty = known_of(company((History("rain", Month(2023, 1), (NAN, NAN)),)), "rain")
    assert suggested_steps(empty) == ()
    assert np.isnan(filled_of(empty)).all()
    with pytest.raises(InvalidValue, match="has no values"):
        settings_of(Recipe(), empty, company().timeline)
