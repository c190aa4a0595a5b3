"""Each kind of rule can be tried on numbers that another kind gave: it comes near, or says them exactly."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.kit.strategies import rules
from widefork.core.axes import Month, Timeline
from widefork.core.rules import RULES, read_words

LINE = Timeline(Month(2026, 1), 30, 1, Month(2026, 6))
SAY_ANYTHING = ("steps", "points", "monthly", "one_off")


@given(rule=rules(), kind=st.sampled_from(list(RULES)))
def test_any_kind_can_be_tried_on_any_numbers(rule, kind):
    fitted = kind.read(kind.fit(LINE, rule.values(LINE)))
    assert np.isfinite(fitted.values(LINE)).all()
    assert kind.read(fitted.document()) == fitted


@pytest.mark.parametrize("ends", [(1.0, 1e-300), (1e-300, 1.0), (1e300, 1e-300), (-5.0, 5.0), (0.0, 7.0)])
def test_a_rate_is_found_between_any_two_ends(ends):
    values = np.linspace(*ends, LINE.month_count)
    values[LINE.actual_count :] = ends[1]
    values[LINE.actual_count] = ends[0]
    growth = RULES["growth"]
    assert np.isfinite(growth.read(growth.fit(LINE, values)).values(LINE)).all()


@given(rule=rules(), name=st.sampled_from(SAY_ANYTHING))
def test_kinds_that_can_say_anything_keep_the_numbers(rule, name):
    values = rule.values(LINE)
    fitted = RULES[name].read(RULES[name].fit(LINE, values))
    np.testing.assert_allclose(fitted.values(LINE), values, rtol=1e-9, atol=1e-6)


def test_a_small_bend_beside_a_large_one_is_kept():
    steps = RULES["steps"].read({"2026-02": 0.0001, "2027-01": 100000})
    points = RULES["points"]
    fitted = points.read(points.fit(LINE, steps.values(LINE)))
    np.testing.assert_allclose(fitted.values(LINE), steps.values(LINE), rtol=1e-9)


@pytest.mark.parametrize(
    "phrase",
    ["46", "by year: FY26 24.9, FY27 25.9, FY28 31", "by quarter: 5 in Q1 26, 7 in Q3 26, 9 in Q4 27",
     "18000 every 12 months from Mar 26", "totals evenly: 12000 in FY26, 2400 in FY27, 1200 in FY28",
     "season 1/2/3/4/5/6/6/5/4/3/2/1 a year: FY26 420, FY27 840, FY28 840",
     "100 growing 12 % by the year, month by month from Aug 26"],
)  # fmt: skip
def test_a_kind_finds_its_own_numbers_again(phrase):
    rule = read_words(RULES, phrase, float)
    kind = next(kind for kind in RULES if isinstance(rule, kind.rule))
    fitted = kind.read(kind.fit(LINE, rule.values(LINE)))
    np.testing.assert_allclose(fitted.values(LINE), rule.values(LINE), rtol=1e-4)


@pytest.mark.parametrize(
    ("said", "meant"),
    [
        ("46.00 rising 3 % a year from Jan 2027", "46 growing 3 % once a year from Jan 27"),
        ("46 falling 2 % a month from Jan 27", "46 growing -2 % each month from Jan 27"),
        ("46 growing 3% a year from Jan 27", "46 growing 3 % once a year from Jan 27"),
        ("1 in Oct 26, 2 in Mar 2027", "once: 1 in Oct 26, 2 in Mar 27"),
    ],
)
def test_rules_are_read_as_people_say_them(said, meant):
    rule = read_words(RULES, said, float)
    assert rule == read_words(RULES, meant, float)


def test_every_field_of_a_form_stands_in_the_document():
    for kind in RULES:
        document = kind.read(kind.fit(LINE, np.arange(30.0))).document()
        for field in kind.fields:
            assert field.key == "" or field.key in document
