"""Looks and ranges: what cannot be is said when it is made."""

import pytest

from widefork.core.errors import InvalidModel
from widefork.core.look import Look, PlausibleRange, Scale


@pytest.mark.parametrize("decimals", [-1, 7])
def test_decimals_have_limits(decimals):
    with pytest.raises(InvalidModel, match="0 to 6 decimals"):
        Look(decimals)


@pytest.mark.parametrize("limits", [(2, 1, 3), (1, 4, 3), (3, 3, 2), (float("nan"), 0, 1)])
def test_a_range_goes_from_low_over_likely_to_high(limits):
    with pytest.raises(InvalidModel, match="low over likely to high"):
        PlausibleRange(*limits)


def test_nothing_is_more_than_all_of_itself_lower():
    assert PlausibleRange(-1, 0, 0.5, True).low == -1
    with pytest.raises(InvalidModel, match="more than 100 % lower"):
        PlausibleRange(-1.1, 0, 0.5, True)


def test_scales_say_what_they_count_in():
    assert [scale.factor for scale in Scale] == [1, 0.001, 0.000001, 100]
