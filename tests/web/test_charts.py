import re
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from widefork.core.axes import Month
from widefork.web.shared.case_styles import CASE_STYLES, style_of
from widefork.web.shared.charts.fork_chart import LABEL_HEIGHT, fork_chart
from widefork.web.shared.charts.scale import Scale, path, round_ticks
from widefork.web.shared.charts.spark import spark

finite = st.floats(-1e9, 1e9).map(lambda v: round(v, 3))


@given(finite, finite, st.integers(2, 8))
def test_ticks_are_even_and_cover_the_range(one, two, about):
    low, high = min(one, two), max(one, two)
    ticks = np.array(round_ticks(low, high, about))
    slack = 1e-6 * max(1, abs(low), abs(high))
    assert ticks[0] <= low + slack
    assert ticks[-1] >= high - slack
    assert np.allclose(np.diff(ticks), ticks[1] - ticks[0], rtol=1e-6)


def test_a_value_that_is_missing_breaks_the_line():
    assert path([(0, 1), (1, float("nan")), (2, 3), (3, 4)]) == "M0 1M2 3L3 4"
    assert Scale(low=0, high=10, start=100, end=0)(5) == 50


def chart(*series, waterline=-10.0, active="a"):
    months = [Month(2026, 1).plus(i) for i in range(len(series[0]))]
    entries = [
        (name, name.upper(), np.array(values, dtype=float)) for name, values in zip("abcd", series, strict=False)
    ]
    return fork_chart(months, 2, entries, active, np.full(len(months), waterline), (400, 200))


def test_labels_never_overlap_and_stay_in_order_of_value():
    found = chart([1, 1, 1, 5], [1, 1, 1, 5.1], [1, 1, 1, 5.2])
    heights = sorted(tine.label_y for tine in found.tines)
    assert min(np.diff(heights)) >= LABEL_HEIGHT - 1e-6


def test_cases_that_run_on_top_of_each_other_are_named_so():
    found = chart([1, 2, 3, 4], [1, 2, 3, 4], [1, 2, 3, 5])
    assert [tine.same_as for tine in found.tines] == ["", "A", ""]


@pytest.mark.parametrize(
    ("values", "areas"), [([0, 0, 0, 0], 0), ([0, 0, -20, 0], 1), ([0, 0, -20, -30], 1), ([-20, 0, -20, 0], 2)]
)
def test_the_area_short_of_cash_is_drawn_for_each_dip(values, areas):
    assert chart(values).short.count("Z") == areas


def test_a_small_line_marks_its_month_and_survives_missing_values():
    found = spark(np.array([1.0, np.nan, -3.0]), np.array([2.0, 2.0, 2.0]), 2)
    assert found.mark is not None
    assert found.zero_y is not None
    assert spark(np.array([np.nan]), None, None).now == ""


def test_eight_cases_have_a_mark_of_their_own_and_no_later_one_looks_like_base():
    assert [style_of(place) for place in range(8)] == list(range(8))
    assert 0 not in {style_of(place) for place in range(1, 60)}
    assert {style_of(place) for place in range(8, 60)} == set(range(1, 8))


def test_every_style_has_its_colour_dash_and_marker(app):
    styles = (Path(app.root_path) / "shared/css/widefork.css").read_text("utf-8")
    rules = [re.search(rf"\.case-{name} {{([^}}]*)}}", styles)[1] for name in CASE_STYLES]
    assert len({re.search(r"--case: ([^;]*)", rule)[1] for rule in rules}) == len(CASE_STYLES)
    assert len({re.search(r"--dash: ([^;]*)", rule)[1] for rule in rules}) == len(CASE_STYLES)
    marks = app.jinja_env.get_template("shared/_marks.html").module
    assert len({str(marks.case_mark(style, 5, 5, 4)) for style in range(len(CASE_STYLES))}) == len(CASE_STYLES)
