import pytest
from hypothesis import given
from hypothesis import strategies as st

from widefork.core.axes import Dimension, Grain, Month, Timeline
from widefork.core.errors import InvalidModel, InvalidValue, UnknownName

months = st.builds(Month, st.integers(1990, 2090), st.integers(1, 12))


@given(months, st.integers(-500, 500), st.integers(-500, 500))
def test_moving_by_months_adds_up(month, one, two):
    assert month.plus(one).plus(two) == month.plus(one + two)
    assert month.plus(one).ordinal - month.ordinal == one


@given(months)
def test_a_month_reads_back_from_both_of_its_forms(month):
    assert Month.parse(str(month)) == month == Month.parse(month.words)


@pytest.mark.parametrize("text", ["2026-13", "2026", "jul 2026", "", "2026-07-01"])
def test_what_is_not_a_month_is_refused(text):
    with pytest.raises(InvalidValue, match="A month is written like"):
        Month.parse(text)


def test_fiscal_years_are_named_by_the_year_they_end_in():
    # common practice; checked against pandas' quarters ending in June
    timeline = Timeline(Month(2024, 6), 12, fiscal_year_start=7)
    asked = [Month(2024, 6), Month(2024, 7), Month(2024, 12), Month(2025, 3)]
    names = [(timeline.fiscal_year(m), (timeline.fiscal_month(m) - 1) // 3 + 1) for m in asked]
    assert names == [(2024, 4), (2025, 1), (2025, 2), (2025, 3)]


@given(months, st.integers(1, 240), st.integers(1, 12), st.sampled_from(list(Grain)))
def test_periods_cover_every_month_once(start, count, fiscal_start, grain):
    timeline = Timeline(start, count, fiscal_start)
    covered = [p.first.plus(i) for p in timeline.periods(grain) for i in range(len(p))]
    assert covered == list(timeline.months)


def test_a_range_outside_the_timeline_is_cut_to_it():
    timeline = Timeline(Month(2026, 1), 12)
    assert timeline.span(Month(2020, 1), Month(2026, 3)) == slice(0, 3)
    assert timeline.span(Month(2030, 1), None).start >= timeline.span(Month(2030, 1), None).stop


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (lambda: Timeline(Month(2026, 1), 0), "1 to 240 months"),
        (lambda: Timeline(Month(2026, 1), 12, 13), "from 1 to 12"),
        (lambda: Timeline(Month(2026, 1), 12, 1, Month(2028, 1)), "last actual month"),
        (lambda: Dimension("region", ()), "at least one member"),
        (lambda: Dimension("region", ("Coast", "Coast")), "listed twice"),
    ],
)
def test_impossible_axes_are_refused_in_words(make, said):
    with pytest.raises(InvalidModel, match=said):
        make()


def test_an_unknown_member_names_the_nearest():
    with pytest.raises(UnknownName) as caught:
        Dimension("region", ("Coast", "Valley")).index("Cost")
    assert "Did you mean Coast" in caught.value.sentence
