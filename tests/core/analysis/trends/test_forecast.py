"""Forecasts of one series: tests of the past, what is taken, intervals, settings, and series that are not usual."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from tests.kit.laws import law
from widefork.core.analysis.trends import (
    METHODS,
    Series,
    Settings,
    coverage_of,
    filled_gaps,
    forecast_many,
    found_season,
    make_forecast,
    measured,
    odd_places,
    origins_of,
    reach_of,
    run_back_test,
    season_scale,
    usual_sizes,
)
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.history import Gaps

START = Month(2023, 1)
QUICK, SIMPLE = Settings(without=("arima", "ets")), Settings(without=("arima", "ets", "theta"))
"""Without the methods that take long to estimate."""


def series_of(values, per_year=12, name="Kits", start=START):
    return Series(name, start, np.asarray(values, dtype=float), per_year)


def seasonal(count=48, seed=0, growth=2.0, noise=0.03):
    places = np.arange(count)
    shape = (300 + growth * places) * (1 + 0.3 * np.sin(2 * np.pi * (places - 3) / 12))
    return shape * np.exp(np.random.default_rng(seed).normal(0, noise, count))


# Series and gaps


def test_periods_are_called_by_their_kind():
    assert series_of([1, 2, 3]).label_at(14) == "2024-03"
    assert series_of([1, 2], 4).label_at(5) == "2024-Q2"
    assert series_of([1, 2], 2).label_at(3) == "2024-H2"
    assert series_of([1, 2], 1).label_at(4) == "2027"


@pytest.mark.parametrize(
    ("gaps", "expected"), [(Gaps.LEAVE, 110), (Gaps.INTERPOLATE, 110), (Gaps.ZERO, 0), (Gaps.LAST_YEAR, 60 * 110 / 55)]
)
def test_a_gap_is_filled_as_asked(gaps, expected):
    """The same month of last year, 60, grown as both neighbours have: 100 and 120 from 50 and 60, on average twice."""
    values = np.full(24, 40.0)
    values[[3, 4, 5]] = 50, 60, 60
    values[[15, 16, 17]] = 100, np.nan, 120
    assert filled_gaps(values, gaps, 12)[16] == pytest.approx(expected)


def test_a_season_is_found_where_the_year_returns_and_only_there():
    own = series_of(seasonal())
    assert found_season(own, own.values) == 12
    for values in (np.random.default_rng(2).normal(100, 5, 60), 100 + 3.0 * np.arange(60), np.full(60, 7.0)):
        assert found_season(series_of(values), values) == 1
    assert found_season(series_of(seasonal(13)), seasonal(13)) == 1  # a year seen once says nothing of years


def test_what_is_far_off_is_named_and_nothing_else():
    values = seasonal(48, seed=3)
    assert odd_places(series_of(values), values, 12) == []
    values[20] *= 2.4
    assert odd_places(series_of(values), values, 12) == [20]


# Tests of the past


def test_a_back_test_is_what_a_plain_loop_says():
    """Seasonal naive by hand: at every end, the same month a year before it."""
    values = seasonal()
    method = next(method for method in METHODS if method.name == "seasonal_naive")
    test = run_back_test(values, values, 12, 6, [method])
    for row, origin in enumerate(test.origins):
        for at in range(6):
            came = values[origin + at] if origin + at < len(values) else np.nan
            assert test.came[row, at] == pytest.approx(came, nan_ok=True)
            assert test.tested["seasonal_naive"].ahead[row, at] == values[origin + at - 12]


def test_no_method_sees_what_it_is_tested_on():
    """What comes after the first end changes nothing of what was said there, orders included."""
    values = seasonal()
    first = origins_of(len(values), 12, 12)[0]
    other = values.copy()
    other[first:] *= np.linspace(1, 3, len(values) - first)
    tried = [method for method in METHODS if method.name not in ("arima",)]
    one, two = (run_back_test(each, each, 12, 12, tried) for each in (values, other))
    for name, found in one.tested.items():
        assert np.array_equal(found.ahead[0], two.tested[name].ahead[0]), name


@law(60)
@drawn(st.integers(3, 150), st.integers(1, 24), st.sampled_from([1, 4, 12]))
def test_ends_lie_within_the_series_in_order(count, horizon, season):
    found = origins_of(count, horizon, season)
    assert list(found) == sorted(set(found))
    assert all(2 <= origin < count for origin in found)
    assert len(found) <= 14


def test_measures_as_worked_by_hand():
    """Came 100, 50, 200; said 90, 60, 200. Errors 10, -10, 0; a year before it was off by 20 on average.

    MAE 20/3, MASE 1/3, RMSE √(200/3), bias 0, MAPE (10 % + 20 % + 0) / 3 = 10 %, sMAPE (20/190 + 20/110) / 3.
    """
    found = measured(np.array([100.0, 50, 200]), np.array([90.0, 60, 200]), 20.0)
    assert (found.mae, found.mase, found.bias, found.mape) == pytest.approx((20 / 3, 1 / 3, 0, 0.1))
    assert found.rmse == pytest.approx((200 / 3) ** 0.5)
    assert found.smape == pytest.approx((20 / 190 + 20 / 110) / 3)
    assert found.off == pytest.approx(20 / 350)
    near = measured(np.array([100.0, 0.5, 200]), np.array([90.0, 60, 200]), 20.0)
    assert np.isnan(near.mape)  # a share of nearly nothing says nothing
    assert season_scale(np.array([1.0, 5, 3, 9]), 2) == pytest.approx(3)
    assert np.isnan(season_scale(np.full(8, 5.0), 4))


# Intervals


def test_intervals_need_enough_errors_and_say_so():
    short = make_forecast(series_of([5, 7, 6, 8, 7, 9, 8, 10]), replace(QUICK, horizon=4))
    assert np.isnan(short.bands[1].low).all()
    assert any("Too short for 95 %" in note for note in short.notes)


@law(40)
@drawn(arrays(float, (10, 8), elements=st.floats(-50, 50)), st.floats(0.5, 20))
def test_intervals_widen_ahead_nest_by_level_and_follow_the_unit(errors, factor):
    errors[np.add.outer(np.arange(10), np.arange(8)) > 12] = np.nan
    eighty, ninety = (reach_of(errors, level).sizes for level in (0.8, 0.95))
    assert (np.diff(eighty) >= 0).all()
    assert (ninety >= eighty - 1e-9).all()
    assert reach_of(errors * factor, 0.8).sizes == pytest.approx(eighty * factor, rel=1e-9, abs=1e-200)
    assert (np.diff(usual_sizes(errors)) >= 0).all()


def _held(count):
    """The shares inside 80 % and 95 % over simulated series of four kinds, 12 months ahead of 60."""
    inside = []
    for seed in range(count):
        random, places = np.random.default_rng(seed), np.arange(72)
        wave = np.sin(2 * np.pi * (places + seed) / 12)
        values = [
            (200 + 2 * places) * (1 + 0.25 * wave) * np.exp(random.normal(0, 0.06, 72)),
            300 + 40 * wave + random.normal(0, 15, 72),
            100 + random.normal(0, 10, 72),
            500 + np.cumsum(random.normal(0, 10, 72)),
        ][seed % 4]
        found = make_forecast(series_of(values[:60]), SIMPLE)
        inside.append([np.mean((values[60:] >= b.low) & (values[60:] <= b.high)) for b in found.bands])
    return np.mean(inside, axis=0)


def test_intervals_hold_what_they_say():
    """A hundred simulated series, a quarter of them random walks: within six points."""
    eighty, ninety = _held(100)
    assert eighty == pytest.approx(0.8, abs=0.06)
    assert ninety == pytest.approx(0.95, abs=0.05)


def test_coverage_is_measured_on_tests_left_out():
    """Errors all alike but for one test far off: that one lies outside what the others give, the rest inside."""
    errors = np.ones((20, 1))
    errors[4] = 40.0
    assert coverage_of(errors, 0.8) == pytest.approx(19 / 20)


# What is taken


def test_the_best_by_test_is_taken_and_both_benchmarks_stand_beside():
    found = make_forecast(series_of(seasonal()), Settings(without=("arima",)))
    names = [candidate.name for candidate in found.candidates]
    assert {"naive", "seasonal_naive"} <= set(names)
    assert names[0] == found.method
    maes = [candidate.accuracy.mae for candidate in found.candidates]
    assert maes == sorted(maes)
    expected = (300 + 2 * np.arange(48, 60)) * (1 + 0.3 * np.sin(2 * np.pi * (np.arange(48, 60) - 3) / 12))
    assert found.amounts == pytest.approx(expected, rel=0.12)
    assert found.candidate.accuracy.mase < 1


def test_a_benchmark_that_wins_is_proposed():
    values = 100 + np.cumsum(np.random.default_rng(8).normal(0, 5, 60))
    found = make_forecast(series_of(values), replace(QUICK, season=1))
    best = min(found.candidates, key=lambda each: each.accuracy.mae)
    assert found.method == best.name
    flat = make_forecast(series_of(np.full(24, 5.0)), QUICK)
    assert flat.method == "naive"
    assert flat.amounts.tolist() == [5.0] * 12


def test_two_years_keep_the_same_month_of_last_year_in():
    found = make_forecast(series_of(seasonal(26)), QUICK)
    assert found.method in ("seasonal_naive", "mean_of_best")
    assert found.method != "mean_of_best" or "seasonal_naive" in found.parts


def test_a_mean_of_the_best_is_their_mean():
    own = series_of(seasonal())
    found = make_forecast(own, replace(QUICK, method="mean_of_best"))
    parts = [make_forecast(own, replace(QUICK, method=part)).amounts for part in found.parts]
    assert len(parts) == 3
    assert found.amounts == pytest.approx(np.mean(parts, axis=0))


def test_limits_are_kept():
    falling = series_of(np.linspace(100, 2, 30))
    found = make_forecast(falling, replace(QUICK, method="drift", season=1, is_whole=True))
    assert found.amounts.min() >= 0  # nothing known lies below 0, so nothing ahead does
    assert np.array_equal(found.amounts, np.round(found.amounts))
    assert np.nanmin(found.bands[0].low) >= 0
    free = make_forecast(falling, replace(QUICK, method="drift", season=1, is_non_negative=False))
    assert free.amounts.min() < 0
    rising = series_of(seasonal(48, growth=30))
    limited = make_forecast(rising, replace(QUICK, growth=0.05, horizon=24))
    every = np.concatenate([rising.values, limited.amounts])
    assert (every[48:] <= every[36:-12] * 1.05 + 1e-9).all()


# Series that are not usual


@pytest.mark.parametrize(
    ("values", "said"),
    [
        ([np.nan] * 5, "has no values"), ([5.0], "has 1 known value;"), ([5.0, np.nan, 6.0], "has 2 known values"),
    ],
)  # fmt: skip
def test_too_little_says_what_to_do(values, said):
    with pytest.raises(InvalidValue, match=said):
        make_forecast(series_of(values), QUICK)


@pytest.mark.parametrize(
    ("settings", "said"),
    [
        ({"horizon": 0}, "reaches 1 to 240"), ({"levels": (1.0,)}, "less than 100 %"),
        ({"growth": -0.1}, "0 % or more"), ({"season": 30}, "needs at least 60 values"),
        ({"season": -1}, "at least one period"),
        ({"is_non_negative": True}, "is to stay at 0 or above, but 2023-03 is -4"),
    ],
)  # fmt: skip
def test_settings_that_cannot_be_say_why(settings, said):
    values = np.arange(48, dtype=float) - 2
    values[2] = -4
    with pytest.raises(InvalidValue, match=said):
        make_forecast(series_of(values), replace(QUICK, **settings))


def test_an_unknown_method_names_those_there_are():
    with pytest.raises(UnknownName, match="seasonal_naive"):
        Settings(method="crystal")


def test_odd_series_go_through_and_are_told_about():
    for values, said in (
        (np.zeros(24), "Every value is 0"), (np.full(24, 12.0), "Every value is 12"),
        (np.where(np.arange(48) == 30, seasonal() * 1000, seasonal()), "Far off the others: 2025-07"),
        (np.where(np.arange(48) == 30, np.nan, seasonal()), "1 month unknown; filled: interpolate"),
    ):  # fmt: skip
        found = make_forecast(series_of(values), QUICK)
        assert np.isfinite(found.amounts).all()
        assert any(said in note for note in found.notes), found.notes


def test_demand_now_and_then_is_tried_as_such():
    values = np.where(np.arange(40) % 5 == 3, 6.0, 0.0)
    found = make_forecast(series_of(values), replace(QUICK, season=1))
    assert "croston" in found.test.tested
    assert "croston" not in make_forecast(series_of(seasonal()), QUICK).test.tested


def test_what_is_unknown_is_not_scored():
    values = seasonal()
    gap = values.copy()
    gap[40] = np.nan
    one, two = (make_forecast(series_of(each), QUICK) for each in (values, gap))
    assert np.isnan(two.test.came).sum() > np.isnan(one.test.came).sum()
    assert two.candidate.accuracy.count < one.candidate.accuracy.count


def test_many_go_on_where_one_cannot():
    many = [
        series_of(seasonal(), name="good"),
        series_of([1.0], name="short"),
        series_of(seasonal(seed=2), name="more"),
    ]
    heard = []
    found = list(forecast_many(many, QUICK, told=lambda done, of: heard.append((done, of)) or True))
    assert [each.name for each, _ in found] == ["good", "short", "more"]
    assert isinstance(found[1][1], InvalidValue)
    assert np.isfinite(found[2][1].amounts).all()
    assert heard == [(1, 3), (2, 3), (3, 3)]
    stopped = list(forecast_many(many, QUICK, told=lambda done, of: False))
    assert len(stopped) == 1


# Public series


def test_a_public_series_is_forecast_better_than_by_last_years_month():
    """Carbon dioxide at Mauna Loa, 1987 to 2001, from statsmodels' datasets (public domain, Keeling and Whorf): the
    last 24 months held out; MASE below 0.6, where the same month of last year is off by more than 1."""
    from statsmodels.datasets import co2

    values = co2.load_pandas().data["co2"].resample("MS").mean().to_numpy()[-180:]
    held = values[-24:]
    found = make_forecast(series_of(values[:-24]), Settings(horizon=24, without=("arima",)))
    scale = season_scale(values[:-24], 12)
    naive = np.abs(held - np.resize(values[-36:-24], 24)).mean() / scale
    assert np.nanmean(np.abs(held - found.amounts)) / scale < 0.6
    assert naive > 1


def test_a_forecast_tells_how_far_it_is_and_is_left_when_told_so():
    series = Series("x", Month(2023, 1), 100 + 10 * np.sin(np.arange(36) * np.pi / 6))
    heard = []
    make_forecast(series, Settings(6), told=lambda done, of: heard.append((done, of)) or True)
    assert heard == sorted(heard)
    assert {of for _, of in heard} == {heard[-1][1]}
    assert heard[-1][0] == heard[-1][1] - 1
    with pytest.raises(InvalidValue, match="nobody asked for it any more"):
        make_forecast(series, Settings(6), told=lambda done, of: done < 5)
