"""The form of a rule says what the rule says: read back as it stands, it is the same rule."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.kit.strategies import rules
from widefork.core.errors import InvalidValue
from widefork.core.look import PlausibleRange
from widefork.web.pages.drivers.shape.rule_form import field_row, part_of, read_form
from widefork.web.pages.drivers.shape.view import kind_of
from widefork.web.shared.ranges import range_words, read_range
from widefork.web.shared.rule_words import read_phrase


@given(rule=rules(), unit=st.sampled_from(["EUR", "%", "kits"]))
def test_a_form_left_alone_is_the_rule_it_shows(rule, unit):
    kind = kind_of(rule)
    rows = [field_row(field, part_of(kind, rule, field), unit) for field in kind.fields]
    form = {row.name: row.value for row in rows}
    again = read_form(kind.name, form, unit)
    assert _near(again.document(), rule.document())


def _near(one, other):
    if isinstance(one, dict):
        return list(one) == list(other) and all(_near(one[key], other[key]) for key in one)
    if isinstance(one, list):
        return len(one) == len(other) and all(map(_near, one, other))
    if isinstance(one, str):
        return one == other
    return one == pytest.approx(other, rel=1e-5, abs=1e-9)


@pytest.mark.parametrize(
    ("text", "unit", "known"),
    [
        ("42 to 49, likely 46", "EUR/kit", PlausibleRange(42, 46, 49)),
        ("42 to 49", "EUR/kit", PlausibleRange(42, 45, 49)),
        ("50 to 60", "EUR", PlausibleRange(50, 50, 60)),
        ("−10 % to +5 %", "EUR", PlausibleRange(-0.1, 0.0, 0.05, True)),
        ("-10 % to +20 %, likely +5 %", "kits", PlausibleRange(-0.1, 0.05, 0.2, True)),
        ("3 % to 5 %", "%", PlausibleRange(0.03, 0.05, 0.05)),
        ("", "EUR", None),
    ],
)
def test_ranges_are_read_as_they_are_said_and_written_back(text, unit, known):
    found = read_range(text, unit, 45.0)
    assert found == known
    assert read_range(range_words(found, unit), unit, 45.0) == known


@pytest.mark.parametrize("text", ["about 5", "9 to 5", "low to high", "-150 % to 0 %"])
def test_a_range_that_is_none_is_said(text):
    with pytest.raises(InvalidValue):
        read_range(text, "EUR", 5.0)


def test_a_phrase_on_a_percent_line_reads_percent():
    assert read_phrase("flat 5 %", "%").document() == pytest.approx(0.05)
    assert read_phrase("4 from Jan 26, then 4.5 % from Jan 27", "%").document() == {"2026-01": 0.04, "2027-01": 0.045}
