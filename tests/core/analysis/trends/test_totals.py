"""Parts and totals that add up: who gives way, and that nothing is lost."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st

from tests.kit.laws import law
from widefork.core.analysis.trends import AddUp, Series, Settings, added_up, family_of, make_forecast
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue

QUICK = Settings(horizon=6, without=("arima", "ets", "theta"))
START = Month(2023, 1)


def parts(count=4, months=36, seed=0):
    """Two regions by two products, each with a season and noise of its own."""
    random, places = np.random.default_rng(seed), np.arange(months)
    wave = 1 + 0.3 * np.sin(2 * np.pi * places / 12)
    return {
        f"P{number}": Series(
            f"P{number}", START, (50 + 30 * number + places) * wave + random.normal(0, 4 + number, months)
        )
        for number in range(count)
    }


MEMBERS = {f"P{number}": (("region", "AB"[number // 2]), ("product", "xy"[number % 2])) for number in range(4)}


def forecasts(family, settings=QUICK):
    return [make_forecast(each, settings) for each in family.series]


def test_a_family_has_a_total_and_one_for_each_member_where_there_are_several_columns():
    family = family_of(parts(), MEMBERS)
    assert family.totals == {
        "Total": (0, 1, 2, 3), "region A": (0, 1), "product x": (0, 2), "product y": (1, 3), "region B": (2, 3),
    }  # fmt: skip
    assert family_of(parts(), {}).totals == {"Total": (0, 1, 2, 3)}
    total = family.series[0]
    assert total.values == pytest.approx(sum(each.values for each in parts().values()))


def test_parts_that_begin_later_are_unknown_before_and_so_are_their_totals():
    given = parts(2)
    given["P1"] = Series("P1", START.plus(3), given["P1"].values[3:])
    family = family_of(given, {})
    assert np.isnan(family.series[0].values[:3]).all()
    assert np.isfinite(family.series[0].values[3:]).all()


@pytest.mark.parametrize("way", list(AddUp))
def test_totals_are_the_sums_of_their_parts_exactly(way):
    family = family_of(parts(), MEMBERS)
    found = added_up(family, forecasts(family), way)
    of_parts = np.stack([each.amounts for each in found[-4:]])
    for each, places in zip(found, family.totals.values(), strict=False):
        assert each.amounts == pytest.approx(of_parts[list(places)].sum(axis=0), rel=1e-12)
    for each in found:
        for band in each.bands:
            known = ~np.isnan(band.low)
            assert (band.low[known] <= each.amounts[known]).all()


def test_what_stands_is_what_the_way_says():
    family = family_of(parts(), MEMBERS)
    base = forecasts(family)
    up = added_up(family, base, AddUp.BOTTOM_UP)
    assert [each.amounts.tolist() for each in up[-4:]] == [each.amounts.tolist() for each in base[-4:]]
    down = added_up(family, base, AddUp.TOP_DOWN)
    assert down[0].amounts == pytest.approx(base[0].amounts)
    latest = np.stack([each.values[-12:] for each in family.parts]).sum(axis=1)
    assert down[-1].amounts / down[0].amounts == pytest.approx(np.full(6, latest[3] / latest.sum()))


def test_what_is_surer_gives_way_less():
    """Two parts and their total, errors unrelated: by the theory of weighted least squares the gap of 12 between the
    total and its parts is shared as the variances are. Variances 4 (total), 1 and 1 : the total takes 4/6 of it, each
    part 1/6, as the gap of a sum of three independent errors is shared by their variances."""
    family = family_of(parts(2), {})
    base = forecasts(family)
    rows = np.array([[2, -2, 2, -2, 2, -2, 2, -2], [1, 1, -1, -1, 1, 1, -1, -1], [1, 1, 1, 1, -1, -1, -1, -1]], float)
    amounts = (112.0, 40.0, 60.0)
    said = [
        replace(each, amounts=np.full(6, amount), errors=np.repeat(errors[:, None], 6, axis=1))
        for each, amount, errors in zip(base, amounts, rows, strict=True)
    ]
    found = added_up(family, said, AddUp.MINIMUM_TRACE)
    assert [float(each.amounts[0]) for each in found] == pytest.approx([112 - 8, 40 + 2, 60 + 2], abs=1e-6)


@law(15)
@drawn(st.integers(2, 4), st.integers(0, 50), st.sampled_from(list(AddUp)))
def test_what_adds_up_already_stays(count, seed, way):
    """Forecasts that add up are not moved, whoever gives way; top-down only shares them anew."""
    family = family_of(parts(count, 30, seed), {})
    base = [make_forecast(each, replace(QUICK, method="seasonal_naive", season=12)) for each in family.series]
    found = added_up(family, base, way)
    assert found[0].amounts == pytest.approx(base[0].amounts, rel=1e-6)
    if way is not AddUp.TOP_DOWN:
        for one, other in zip(found, base, strict=True):
            assert one.amounts == pytest.approx(other.amounts, rel=1e-6)


def test_nothing_below_0_and_whole_numbers_still_add_up():
    family = family_of(parts(), MEMBERS)
    base = forecasts(family, replace(QUICK, is_whole=True))
    sunk = [replace(each, amounts=np.full(6, -5.0)) if at == 6 else each for at, each in enumerate(base)]
    found = added_up(family, sunk, AddUp.MINIMUM_TRACE)
    of_parts = np.stack([each.amounts for each in found[-4:]])
    assert of_parts.min() >= 0
    assert np.array_equal(of_parts, np.round(of_parts))
    assert np.array_equal(found[0].amounts, of_parts.sum(axis=0))


def test_what_does_not_add_up_at_all_says_why():
    with pytest.raises(InvalidValue, match="at least two parts"):
        family_of(parts(1), {})
    mixed = {**parts(1), "Q": Series("Q", START, np.arange(12.0), 4)}
    with pytest.raises(InvalidValue, match="different periods"):
        family_of(mixed, {})
    family = family_of(parts(), MEMBERS)
    with pytest.raises(InvalidValue, match="The family has 9 series; 1 forecasts"):
        added_up(family, forecasts(family)[:1], AddUp.BOTTOM_UP)
