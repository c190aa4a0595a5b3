"""Steps on a series: what each does, in what order, and that what they begin from stays."""

import numpy as np
import pytest
from hypothesis import given as drawn
from hypothesis import strategies as st

from tests.kit.laws import law
from widefork.core.analysis.trends import Series, taken_steps
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue
from widefork.core.history import Step, StepKind

START = Month(2023, 1)


def series_of(values, per_year=12):
    return Series("Kits", START, np.asarray(values, dtype=float), per_year)


def wave(count, start=0):
    places = np.arange(start, start + count)
    return (200 + 2 * places) * (1 + 0.25 * np.sin(2 * np.pi * places / 12))


def test_one_period_is_left_out_and_the_series_it_came_from_stays():
    own = series_of([5, 1905, 7])
    (after,) = taken_steps(own, [Step(StepKind.LEAVE_OUT, Month(2023, 2))])
    assert np.isnan(after.series.values[1])
    assert own.values.tolist() == [5, 1905, 7]
    assert after.words == "2023-02 left out: 1,905."


def test_a_later_beginning_forgets_what_was_before():
    (after,) = taken_steps(series_of(range(30)), [Step(StepKind.SINCE, Month(2024, 3))])
    assert (str(after.series.start), after.series.values[0], len(after.series.values)) == ("2024-03", 14, 16)
    quarters = taken_steps(series_of(range(8), 4), [Step(StepKind.SINCE, Month(2023, 8))])[0].series
    assert (quarters.label_at(0), quarters.values[0]) == ("2023-Q3", 2)


@law(30)
@drawn(st.floats(0.4, 2.5), st.integers(8, 40))
def test_a_change_of_level_is_undone_as_a_factor(factor, place):
    """What was made by multiplying the months before is brought back exactly, growth and season notwithstanding."""
    smooth = 100 * 1.01 ** np.arange(48) * np.tile(1 + 0.2 * np.sin(2 * np.pi * np.arange(12) / 12), 4)
    values = np.concatenate([smooth[:place] / factor, smooth[place:]])
    (after,) = taken_steps(series_of(values), [Step(StepKind.LEVEL, START.plus(place))])
    assert after.series.values[place:].tolist() == smooth[place:].tolist()
    assert after.series.values[:place] == pytest.approx(smooth[:place], rel=1e-6)


def test_a_change_of_level_is_an_amount_where_values_lie_below_0():
    line = np.arange(30, dtype=float) - 15
    values = np.concatenate([line[:12] - 40, line[12:]])
    (after,) = taken_steps(series_of(values), [Step(StepKind.LEVEL, Month(2024, 1))])
    assert after.series.values == pytest.approx(line, abs=1e-9)
    assert after.words == "Before 2024-01 brought to the level since: +40."


def test_steps_follow_one_another():
    found = taken_steps(
        series_of(wave(40)),
        [Step(StepKind.SINCE, Month(2023, 5)), Step(StepKind.LEAVE_OUT, Month(2024, 1))],
    )
    assert [len(each.series.values) for each in found] == [36, 36]
    assert np.isnan(found[1].series.values[8])
    assert taken_steps(series_of([1, 2, 3]), []) == ()


@pytest.mark.parametrize(
    ("kind", "month", "said"),
    [
        (StepKind.LEAVE_OUT, Month(2029, 1), "goes from 2023-01 to 2023-06; 2029-01 is not in it"),
        (StepKind.LEAVE_OUT, Month(2023, 3), "knows nothing of 2023-03 anyway"),
        (StepKind.SINCE, Month(2023, 6), "has no values from 2023-06 on"),
        (StepKind.LEVEL, Month(2023, 2), "1 values before 2023-02"),
    ],
)
def test_steps_that_cannot_be_say_why(kind, month, said):
    with pytest.raises(InvalidValue, match=said):
        taken_steps(series_of([1, 2, np.nan, 4, 5, np.nan]), [Step(kind, month)])
