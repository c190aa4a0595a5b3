"""What flows are worth: published examples, several rates, and laws."""

import numpy as np
import numpy_financial as npf
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.kit.laws import law
from widefork.core.analysis.worth import internal_rates, modified_rate, pay_back, present_value, profitability
from widefork.core.errors import InvalidValue

flows = st.lists(st.floats(-1000, 1000).map(lambda value: round(value, 2)), min_size=2, max_size=60)


@pytest.mark.parametrize(
    ("row", "rate"),
    [
        ([-100, 39, 59, 55, 20], 0.28095), ([-100, 0, 0, 74], -0.0955), ([-100, 100, 0, -7], -0.0833),
        ([-100, 100, 0, 7], 0.06206), ([-5, 10.5, 1, -8, 1], 0.0886), ([-1, -2, -3], None),
    ],
)  # fmt: skip
def test_rates_of_return_of_published_examples(row, rate):
    """numpy-financial 1.0.0, docstring of irr; the last from its tests (none)."""
    found = internal_rates(row, periods=1)
    assert found == () if rate is None else any(each == pytest.approx(rate, abs=5e-5) for each in found)


def test_several_rates_are_all_told():
    """Textbook type, constructed: -100, 230, -132 is worth nothing at 10 % and at 20 %."""
    assert internal_rates([-100, 230, -132], periods=1) == (pytest.approx(0.1), pytest.approx(0.2))
    assert present_value([-100, 230, -132], 0.0, 1) == pytest.approx(-2)
    assert present_value([-100, 230, -132], 0.15, 1) == pytest.approx(0.1890359168241966)


@pytest.mark.parametrize(
    ("rate", "row", "worth"),
    [
        (0.08, [-40000, 5000, 8000, 12000, 30000], 3065.22267),
        (0.05, [-15000, 1500, 2500, 3500, 4500, 6000], 122.89485495094269),
        (0.08, [0, -40000, 5000, 8000, 12000, 30000], 2838.169137203273),
    ],
)
def test_present_values_of_published_examples(rate, row, worth):
    """numpy-financial 1.0.0, docstring of npv and test_npv_decimal; the last with its first flow a period later."""
    assert present_value(row, rate, 1) == pytest.approx(worth, abs=1e-5)


def test_the_modified_rate_of_a_published_example():
    """numpy-financial 1.0.0, test_mirr_decimal: 12.609 %."""
    row = [-120000, 39000, 30000, 21000, 37000, 46000]
    assert modified_rate(row, 0.1, 0.12, 1) == pytest.approx(0.12609413036590514)
    assert np.isnan(modified_rate([5, 5], 0.1, 0.1, 1))


@pytest.mark.parametrize(("rate", "years", "factor"), [(0.05, 10, 7.7217), (0.1, 10, 6.1446), (0.12, 20, 7.4694)])
def test_an_annuity_is_worth_what_the_tables_say(rate, years, factor):
    """Present value of an ordinary annuity, as in the appendix of any corporate-finance text, from memory."""
    assert present_value([0, *[1] * years], rate, 1) == pytest.approx(factor, abs=5e-5)


def test_months_are_twelfths_of_a_year_and_may_lie_in_the_middle():
    # constructed: 100 after twelve months at 21 % a year, and half a month earlier
    row = [0.0] * 12 + [100.0]
    assert present_value(row, 0.21) == pytest.approx(100 / 1.21)
    assert present_value(row, 0.21, is_mid=True) == pytest.approx(100 / 1.21 ** (11.5 / 12))
    assert internal_rates([-100.0, *[0.0] * 11, 121.0]) == (pytest.approx(0.21),)


def test_it_pays_back_when_the_running_total_is_nothing_again():
    # constructed: 100 out, 40 a period: after 2.5; discounted at 10 %: 36.36, 33.06, 30.05 leave 0.53 for the fourth
    assert pay_back([-100, 40, 40, 40], periods=1).periods == pytest.approx(2.5)
    later = pay_back([-100, 40, 40, 40, 40], 0.1, 1)
    assert later.periods == pytest.approx(3 + (100 - 40 * (1 / 1.1 + 1 / 1.21 + 1 / 1.331)) / (40 / 1.1**4))
    assert later.is_for_good
    again = pay_back([-100, 120, -50], periods=1)
    assert (again.periods, again.is_for_good) == (pytest.approx(100 / 120), False)
    assert np.isnan(pay_back([-100, 10]).periods)
    assert pay_back([5, -1]).periods == 0


def test_profitability_is_what_comes_in_for_what_goes_out():
    assert profitability([-100, 60, 60], 0.1, 1) == pytest.approx((60 / 1.1 + 60 / 1.21) / 100)
    assert np.isnan(profitability([1, 2], 0.1))


@law(100)
@given(flows, st.floats(-0.5, 2))
def test_a_rate_of_return_leaves_nothing(row, rate):
    assert present_value(row, rate, 1) == pytest.approx(npf.npv(rate, row), rel=1e-9, abs=1e-6)
    for found in internal_rates(row):
        size = np.abs(np.array(row) * (1 + found) ** (-np.arange(len(row)) / 12)).sum()
        assert present_value(row, found) == pytest.approx(0, abs=1e-7 * size)


@law(60)
@given(flows, st.floats(-0.5, 2))
def test_flows_and_their_opposite_cancel(row, rate):
    opposite = [-value for value in row]
    assert internal_rates(row) == internal_rates(opposite)
    assert present_value(row, rate) == pytest.approx(-present_value(opposite, rate))


@pytest.mark.parametrize("rate", [-1.0, -2.0])
def test_a_rate_below_everything_is_refused(rate):
    with pytest.raises(InvalidValue, match="above -100 %"):
        present_value([1, 2], rate)
