"""Many forecasts in order: groups of trust with their reasons, weights, changes of level found."""

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st

from tests.kit.laws import law
from tests.kit.small import company, given
from widefork.core.analysis.trends import (
    Settings,
    Studied,
    Trust,
    level_change,
    make_forecast,
    rank,
    study,
    study_many,
    weights_of,
)
from widefork.core.analysis.trends.series import Series
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue

FAST = Settings(6, without=("ets", "arima", "theta"))
START = Month(2022, 1)


def series(values, name="x", per_year=12):
    return Series(name, START, np.asarray(values, dtype=float), per_year)


def wave(count=48, noise=0.01, seed=1):
    places = np.arange(count)
    own = (200 + 3 * places) * (1 + 0.3 * np.sin(2 * np.pi * places / 12))
    return own * np.exp(np.random.default_rng(seed).normal(0, noise, count))


def trust_of(values, per_year=12, **more):
    (found,) = rank({"x": study((series(values, per_year=per_year), FAST))}, {"x": 1.0}, **more)
    return found


def test_a_regular_series_is_worth_trusting():
    found = trust_of(wave())
    assert (found.trust, found.why, found.weight) == (Trust.TRUSTED, "", 1.0)
    assert found.against < 0.5


@pytest.mark.parametrize(
    ("values", "why"),
    [
        (wave(9), "too short: 9 months"),
        ([0, 0, 5, 0, 0, 0, 7, 0] * 5, "figures in 10 of 40 months"),
        (np.concatenate([wave(30) * 0.4, wave(48)[30:]]), "level changed in 2024-07"),
        ([1.0, 2.0], "needs at least 3"),
    ],
)
def test_what_is_not_worth_trusting_says_why(values, why):
    found = trust_of(values)
    assert found.trust is Trust.DOUBTED
    assert why in found.why


def test_a_change_of_level_that_was_dealt_with_is_none_any_more():
    values = np.concatenate([wave(30) * 0.4, wave(48)[30:]])
    assert trust_of(values, levelled=["x"]).trust is not Trust.DOUBTED


def test_what_no_method_betters_is_left_to_the_simple_one():
    walk = np.cumsum(np.random.default_rng(4).normal(0, 1, 60)) + 100
    found = trust_of(walk)
    assert found.trust is Trust.SIMPLE or found.against < 1


@law(20)
@drawn(st.floats(0.3, 0.75) | st.floats(1.4, 3.0), st.integers(10, 38))
def test_a_clear_change_of_level_is_found_where_it_is(factor, place):
    values = wave(noise=0.005)
    changed = np.concatenate([values[:place] * factor, values[place:]])
    assert level_change(make_forecast(series(changed), Settings(6, method="naive", season=12))) == place


def test_growth_and_season_are_no_change_of_level():
    assert level_change(make_forecast(series(wave()), Settings(6, method="naive", season=12))) is None
    assert level_change(make_forecast(series(wave(10)), Settings(6, method="naive", season=1))) is None


def test_groups_stand_in_order_and_in_each_the_heaviest_first():
    good, fault = study((series(wave()), FAST)), Studied(InvalidValue("no"), None)
    found = rank({"a": fault, "b": good, "c": good, "d": fault}, {"b": 1.0, "c": 3.0, "d": 4.0})
    assert [each.name for each in found] == ["c", "b", "d", "a"]
    assert [each.weight for each in found] == [0.375, 0.125, 0.5, 0]
    assert rank({}, {}) == ()


def test_many_are_studied_in_order_until_told_to_stop():
    tasks = [(series(wave(30, seed=seed)), FAST) for seed in range(3)]
    heard = []
    found = list(study_many(tasks, None, lambda done, of: heard.append((done, of)) or done < 2))
    assert heard == [(1, 3), (2, 3)]
    assert [len(each.outcome.filled) for each in found] == [30, 30]


def test_a_weight_is_what_one_per_cent_more_moves():
    plan = company(lines=(given("rent", 100, posts_to="premises_costs"), given("idle", 5)), months=12)
    of = {"sales": ("sales", ()), "rent": ("rent", ()), "idle": ("idle", ())}
    found = weights_of(plan, "base", of)
    # 12 months: 1 % of 1,000 of revenue, of 100 of rent, and of what nothing reads
    assert found == pytest.approx({"sales": 120, "rent": 12, "idle": 0})
    assert weights_of(plan, "base", {}) == {}
