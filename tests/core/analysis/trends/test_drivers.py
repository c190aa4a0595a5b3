"""A series explained by others: effects recovered, parts that sum, gains measured, and what cannot be told."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st

from tests.kit.laws import law
from widefork.core.analysis.trends import Driver, Series, Settings, explain
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue

START = Month(2022, 1)
QUICK = Settings(horizon=6, without=("arima", "ets", "theta"))


def series_of(name, values, start=START, per_year=12):
    return Series(name, start, np.asarray(values, dtype=float), per_year)


def shop(months=48, ahead=6, seed=0, elasticity=-1.5):
    """Kits sold as a factor of price, with a season and some noise; the price is known ahead."""
    random, places = np.random.default_rng(seed), np.arange(months + ahead)
    price = 50 * np.exp(random.normal(0, 0.15, months + ahead))
    kits = 900 * (1 + 0.2 * np.sin(2 * np.pi * places / 12)) * (price / 50) ** elasticity
    return kits * np.exp(random.normal(0, 0.03, months + ahead)), price


def test_an_elasticity_is_recovered_and_gains():
    """Simulated with 1 % more price, 1.5 % fewer kits: found within three standard errors, and the error is halved."""
    kits, price = shop()
    found = explain(series_of("Kits", kits[:48]), [Driver("price", series_of("price", price))], QUICK)
    (effect,) = found.effects
    assert effect.is_elastic
    assert effect.amount == pytest.approx(-1.5, abs=3 * effect.error)
    assert effect.error < 0.1
    assert found.gain > 0.5
    assert found.forecast.method == "drivers"
    assert found.with_drivers == pytest.approx(kits[48:], rel=0.12)
    names = [candidate.name for candidate in found.forecast.candidates]
    assert names[0] == "drivers"
    assert found.alone.method in names


def test_an_amount_for_one_more_is_recovered_with_its_lag():
    """Three more a month for each head, felt two months later; values below 0, so of amounts."""
    random = np.random.default_rng(3)
    heads = random.integers(0, 20, 60).astype(float)
    sold = np.concatenate([[0, 0], 3 * heads[:-2]]) - 30 + random.normal(0, 1, 60)
    found = explain(series_of("Sold", sold[:54]), [Driver("heads", series_of("heads", heads), lag=2)], QUICK)
    assert not found.in_logs
    assert found.effects[0].amount == pytest.approx(3, abs=0.15)
    assert found.with_drivers == pytest.approx(sold[54:], abs=4)
    assert not any("forecast itself" in note for note in found.notes[:0])


def test_what_does_not_move_the_series_gains_nothing_and_is_not_taken():
    kits, _ = shop(elasticity=0.0)
    noise = np.random.default_rng(9).normal(100, 10, 54)
    found = explain(series_of("Kits", kits[:48]), [Driver("weather", series_of("weather", noise))], QUICK)
    assert found.effects[0].amount == pytest.approx(0, abs=4 * found.effects[0].error)
    if found.gain <= 0:
        assert np.array_equal(found.forecast.amounts, found.alone.amounts)
    assert found.gain < 0.3


@law(15)
@drawn(st.integers(0, 200), st.booleans(), st.integers(1, 3))
def test_parts_sum_to_the_forecast(seed, is_below, count):
    """What is without drivers, each driver, and the latest error: together the forecast, of amounts and of factors."""
    random = np.random.default_rng(seed)
    drivers = [random.normal(50, 8, 46) for _ in range(count)]
    values = 200 + sum(random.normal(0, 2) * (each - 50) for each in drivers) + random.normal(0, 5, 46)
    values = values - 400 if is_below else np.maximum(values, 5)
    told = [Driver(f"d{at}", series_of(f"d{at}", each)) for at, each in enumerate(drivers)]
    found = explain(series_of("Kits", values[:40]), told, replace(QUICK, season=1))
    assert set(found.parts) >= {"without drivers", "latest error", *(driver.name for driver in told)}
    assert sum(found.parts.values()) == pytest.approx(found.with_drivers, rel=1e-9, abs=1e-9)


def test_a_driver_without_its_future_is_forecast_and_that_is_said():
    kits, price = shop()
    found = explain(series_of("Kits", kits[:48]), [Driver("price", series_of("price", price[:50]))], QUICK)
    assert any(note.startswith("price is not known from 2026-03 on; it was forecast itself") for note in found.notes)
    assert np.isfinite(found.with_drivers).all()


def test_drivers_that_move_together_are_said():
    kits, price = shop()
    twin = price * 1.2 + np.random.default_rng(1).normal(0, 0.05, 54)
    told = [Driver("price", series_of("price", price)), Driver("list price", series_of("list price", twin))]
    found = explain(series_of("Kits", kits[:48]), told, QUICK)
    assert sum("hardly told apart" in note for note in found.notes) == 2


def test_many_drivers_on_little_history_are_held_back_and_that_is_said():
    random = np.random.default_rng(5)
    told = [Driver(f"d{at}", series_of(f"d{at}", random.normal(10, 2, 46))) for at in range(8)]
    found = explain(series_of("Kits", random.normal(100, 5, 40)), told, replace(QUICK, season=1))
    assert any("held back" in note for note in found.notes)
    assert max(abs(effect.amount) for effect in found.effects) < 1


def test_intervals_are_of_the_tests_with_drivers():
    kits, price = shop(months=60)
    found = explain(series_of("Kits", kits[:60]), [Driver("price", series_of("price", price))], QUICK)
    widths = [float((each.bands[0].high - each.bands[0].low).mean()) for each in (found.forecast, found.alone)]
    assert widths[0] < 0.6 * widths[1]


@pytest.mark.parametrize(
    ("driver", "said"),
    [
        (None, "at least one driver"),
        (Driver("flat", series_of("flat", np.full(54, 3.0))), "flat never varies"),
        (Driver("short", series_of("short", np.arange(6.0))), "are known together in 6 months"),
        (Driver("late", series_of("late", np.arange(54.0)), lag=-1), "a lag is 0 or more"),
        (Driver("quarters", series_of("quarters", np.arange(20.0), per_year=4)), "is by quarter and Kits by month"),
    ],
)
def test_what_cannot_be_explained_says_why(driver, said):
    kits, _ = shop()
    with pytest.raises(InvalidValue, match=said):
        explain(series_of("Kits", kits[:48]), [driver] if driver else [], QUICK)


@pytest.mark.parametrize("names", [("price", "price"), ("latest error", "price")])
def test_drivers_of_one_name_would_be_added_into_one_and_are_refused(names):
    kits, price = shop()
    drivers = [Driver(name, series_of(name, price)) for name in names]
    with pytest.raises(InvalidValue, match=f"“{names[0]}” is taken"):
        explain(series_of("Kits", kits[:48]), drivers, QUICK)
