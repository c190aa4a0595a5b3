"""Each method by itself: what it says of series whose continuation is known, and of worked examples."""

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from tests.kit.laws import law
from widefork.core.analysis.trends import METHOD_BY_NAME, METHODS
from widefork.core.analysis.trends.methods import Croston, Smoothing, choose_arima, choose_smoothing, forms_of

TREND = 100 + 3.0 * np.arange(48)
SEASON = np.tile([80, 90, 100, 110, 120, 130, 140, 130, 120, 100, 90, 70], 4).astype(float)


def said(name, values, horizon, season=12):
    method = METHOD_BY_NAME[name]
    return method.choose(np.asarray(values, dtype=float), season).ahead(np.asarray(values, dtype=float), horizon)


def test_the_simple_methods_by_their_definitions():
    """Hyndman and Athanasopoulos (2021), section 5.2: last value; last season; mean; the line through both ends."""
    values = [10, 14, 9, 13, 12, 16]
    assert said("naive", values, 2).tolist() == [16, 16]
    assert said("seasonal_naive", values, 5, 4).tolist() == [9, 13, 12, 16, 9]
    assert said("mean", values, 1).tolist() == pytest.approx([74 / 6])
    assert said("drift", values, 3).tolist() == pytest.approx([16 + 1.2, 16 + 2.4, 16 + 3.6])


def test_demand_now_and_then_as_worked_by_hand():
    """Croston with the factor 1 - a/2 of Syntetos and Boylan (2005), a = 0.1, on 0 0 6 0 4 0 0 0 8.

    Sizes 6, 6 + 0.1 (4 - 6) = 5.8, 5.8 + 0.1 (8 - 5.8) = 6.02; intervals 3, 3 + 0.1 (2 - 3) = 2.9,
    2.9 + 0.1 (4 - 2.9) = 3.01; so 0.95 × 6.02 / 3.01 = 1.9.
    """
    assert said("croston", [0, 0, 6, 0, 4, 0, 0, 0, 8], 2).tolist() == pytest.approx([1.9, 1.9])
    assert Croston().ahead(np.zeros(6), 2).tolist() == [0, 0]


@pytest.mark.parametrize("name", ["line", "drift", "ets", "arima"])
def test_a_straight_line_goes_on(name):
    assert said(name, TREND, 6, 1) == pytest.approx(100 + 3.0 * np.arange(48, 54), rel=0.01)


@pytest.mark.parametrize("name", ["line", "seasonal_naive", "ets", "theta", "arima"])
def test_a_season_comes_again(name):
    noise = np.random.default_rng(1).normal(0, 0.5, 48)
    assert said(name, SEASON + noise, 12) == pytest.approx(SEASON[:12], abs=6)


def test_growth_and_season_as_factors_are_found_by_their_logarithms():
    values = SEASON * 1.02 ** np.arange(48)
    ahead = SEASON[:12] * 1.02 ** np.arange(48, 60)
    assert said("line", values, 12) == pytest.approx(ahead, rel=1e-9)


def test_simple_smoothing_is_the_librarys_own_by_another_of_its_classes():
    """A form with a level alone is simple exponential smoothing: the forecast is the same from statsmodels' other
    implementation with the weight found (statsmodels 0.15, tsa.holtwinters)."""
    from statsmodels.tsa.holtwinters import SimpleExpSmoothing

    values = np.cumsum(np.random.default_rng(4).normal(0, 3, 60)) + 100
    form = Smoothing("add", None, False, None, 1)
    found = form.fitted(values)
    other = SimpleExpSmoothing(values, initialization_method="known", initial_level=float(found.initial_level))
    expected = other.fit(smoothing_level=float(found.smoothing_level), optimized=False).forecast(3)
    assert form.ahead(values, 3) == pytest.approx(expected, rel=1e-6)


def test_a_known_moving_average_is_recovered():
    """(0,1,1) with a weight of -0.6, simulated: estimated from 400 values within three standard errors of 0.04."""
    steps = np.random.default_rng(7).normal(0, 1, 401)
    values = 50 + np.cumsum(steps[1:] - 0.6 * steps[:-1])
    found = choose_arima(values, 1)
    assert found.order[1] == 1
    moving = found.amounts[-2] if found.order == (0, 1, 1) else found.amounts[found.order[0]]
    assert moving == pytest.approx(-0.6, abs=0.12)


def test_what_cannot_multiply_does_not():
    values = SEASON - 100
    assert all("mul" not in (form.error, form.seasonal) for form in forms_of(values, 12))
    assert all(form.seasonal is None for form in forms_of(SEASON[:20], 12))  # a season seen once is none
    assert "season" in choose_smoothing(SEASON + np.arange(48), 12).words


@law(25)
@drawn(
    arrays(float, st.integers(14, 30), elements=st.floats(-1e4, 1e4).map(lambda v: round(v, 2))),
    st.sampled_from([method for method in METHODS if method.name not in ("arima", "ets")]),
    st.integers(1, 15),
)
def test_any_history_gets_as_many_periods_as_asked_for(values, method, horizon):
    if method.name == "croston":
        values = np.abs(values)
    found = method.choose(values, 4).ahead(values, horizon)
    assert found.shape == (horizon,)
    assert np.isfinite(found).all()


@law(25)
@drawn(
    arrays(float, 24, elements=st.floats(1, 1e4).map(lambda v: round(v, 2))),
    st.sampled_from(["naive", "seasonal_naive", "mean", "drift", "line", "croston"]),
    st.floats(0.1, 50),
)
def test_another_unit_changes_the_unit_only(values, name, factor):
    """Thousands instead of units: every forecast is that many thousands."""
    method = METHOD_BY_NAME[name]
    one = method.choose(values, 4).ahead(values, 5)
    other = method.choose(values * factor, 4).ahead(values * factor, 5)
    assert other == pytest.approx(one * factor, rel=1e-6, abs=1e-6 * factor * float(values.max()))
