import pytest
from hypothesis import given
from hypothesis import strategies as st

from widefork.core.changes import Operation
from widefork.core.errors import InvalidValue
from widefork.core.language.units import UnitForm
from widefork.web.shared import formats
from widefork.web.shared.formats import Typed, read_number, read_typed
from widefork.web.shared.rule_words import read_phrase


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("1250", 1250), ("1 250,50", 1250.5), ("1,250.50", 1250.5), ("1.250,50", 1250.5), ("49,5", 49.5),
        ("0,125", 0.125),
        ("1,234,567", 1234567), ("1.234.567", 1234567), ("(200)", -200), ("−3.5", -3.5), ("€ 46.00", 46),
        ("12.500", 12.5), ("2.6 bn", 2600000000), ("1.1 Million", 1100000), ("12k", 12000), ("(3 mn)", -3000000),
    ],
)  # fmt: skip
def test_numbers_are_read_in_both_decimal_styles(text, value):
    assert read_number(text) == value


@pytest.mark.parametrize("text", ["1/12", "01/02"])
def test_what_may_be_a_day_is_no_pasted_number(text):
    with pytest.raises(InvalidValue, match="Expected a number"):
        read_number(text)


def test_an_answer_may_be_a_sum_by_the_month_or_a_large_number_in_words():
    assert read_phrase("1900 / 12", "EUR").document() == pytest.approx(1900 / 12)
    assert read_phrase("2.6 bn", "EUR").document() == 2600000000
    assert read_phrase("1.2 mn growing 3 % once a year from Jan 27", "EUR").document()["base"] == 1200000


@given(st.floats(-1e9, 1e9) | st.floats(-2000, 2000), st.sampled_from([1, 2, 4]))
def test_what_is_shown_can_be_typed_back(value, places):
    shown = formats.plain_number(value, places)
    assert read_number(shown) == pytest.approx(value, rel=0, abs=0.51 * 10.0**-places)


@pytest.mark.parametrize(
    ("text", "unit", "typed"),
    [
        ("49.50", "EUR", Typed(Operation.SET, 49.5)),
        ("5", "%", Typed(Operation.SET, 0.05)),
        ("5 %", "%", Typed(Operation.SET, 0.05)),
        ("+3 %", "EUR", Typed(Operation.SCALE, 1.03)),
        ("-10%", "EUR", Typed(Operation.SCALE, 0.9)),
        ("*1.05", "EUR", Typed(Operation.SCALE, 1.05)),
        ("/2", "EUR", Typed(Operation.SCALE, 0.5)),
        ("-200", "EUR", Typed(Operation.ADD, -200)),
        ("+1", "%", Typed(Operation.ADD, 0.01)),
        ("(200)", "EUR", Typed(Operation.SET, -200)),
        ("1900 / 12", "EUR", Typed(Operation.SET, 158.3333333333)),
        ("+30/12", "%", Typed(Operation.ADD, 0.025)),
        ("30/12 %", "%", Typed(Operation.SET, 0.025)),
        ("+1.2 mn", "EUR", Typed(Operation.ADD, 1200000)),
    ],
)
def test_a_leading_sign_changes_relatively(text, unit, typed):
    found = read_typed(text, unit)
    assert found.operation is typed.operation
    assert found.amount == pytest.approx(typed.amount)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "The cell is empty"),
        ("   ", "The cell is empty"),
        ("ninety", "Expected a number, got “ninety”"),
        ("12abc", "Expected a number"),
        ("1,250", "can be read two ways. Type 1250 or 1.250"),
        ("1.2.3", "more than one"),
        ("1,2.3,4", "mixes points and commas"),
        ("5 %", "not in percent"),
        ("/0", "Dividing by 0"),
        ("12/0", "Dividing by 0"),
        ("12/", "got nothing"),
        ("1/2/3", "Expected a number"),
        ("12 m", "Expected a number"),
        ("2000000 bn", "more than can be computed"),
        ("+", "got nothing"),
        ("--", "got nothing|Expected a number"),
    ],
)
def test_what_cannot_be_a_number_says_what_to_type(text, said):
    with pytest.raises(InvalidValue, match=said):
        read_typed(text, "EUR")


@pytest.mark.parametrize(
    ("value", "unit", "cell", "signed"),
    [
        (-1234.5, "EUR", "−1,235", "−1,235"), (0, "EUR", "–", "same"), (0.045, "%", "4.5", "+4.5 pt"),
        (46, "EUR/kit", "46.00", "+46.00"),
        (2.6, "boxes", "3", "+3"), (2.6, "", "2.6", "+2.6"), (2.6, "days", "3", "+3"),
        (13.25, "heads", "13.3", "+13.3"), (float("nan"), "EUR", "n/a", "n/a"), (-0.0001, "EUR", "0", "same"),
    ],
)  # fmt: skip
def test_values_are_shown_by_their_unit(value, unit, cell, signed):
    assert formats.cell(value, unit) == cell
    assert formats.signed(value, unit) == signed


def test_a_model_says_how_its_units_are_shown():
    forms = (
        UnitForm("boxes", "box", 2),
        UnitForm("%", decimals=3),
        UnitForm("EUR/box", decimals=4),
        UnitForm("kits", "kit"),
    )
    try:
        formats.show_units(forms)
        assert formats.cell(2.6, "boxes") == "2.60"
        assert formats.amount(0.0456, "%") == "4.560 %"
        assert formats.cell(0.0456, "%") == "4.560"
        assert formats.cell(1.5, "EUR/box") == "1.5000"
        assert formats.cell(2.6, "kits") == "3"
    finally:
        formats.show_units(())
    assert formats.cell(2.6, "boxes") == "3"


@pytest.mark.parametrize(
    ("value", "places", "text"),
    [(62.5, 0, "63"), (87.5, 0, "88"), (-62.5, 0, "−63"), (2.675, 2, "2.68"), (0.125, 2, "0.13"), (0.4999, 0, "0"),
     (1e12 + 0.4, 0, "1,000,000,000,000")],
)  # fmt: skip
def test_halves_are_rounded_up_alike(value, places, text):
    assert formats.plain_number(value, places) == text


@pytest.mark.parametrize(
    ("value", "unit", "text", "added"),
    [(0.05, "EUR", "0.05", "+0.05"), (4000, "EUR", "4,000", "+4,000"), (-1234.5, "EUR", "−1,234.5", "−1,234.5"),
     (0.12345, "%", "12.345 %", "+12.345 pt"), (0.05, "%", "5.0 %", "+5.0 pt"), (2.5, "kits", "2.5", "+2.5"),
     (49.5, "EUR/kit", "49.50", "+49.50"), (0, "EUR", "0", "0"), (1 / 3, "EUR", "0.3333333333", "+0.3333333333"),
     (float("nan"), "EUR", "n/a", None)],
)  # fmt: skip
def test_what_was_set_is_said_with_all_its_digits(value, unit, text, added):
    assert formats.exact(value, unit) == text
    assert added is None or formats.exact_difference(value, unit) == added


@pytest.mark.parametrize("text", ["1e15", "1000000000000000", "(9 999 999 999 999 999)", "9" * 40])
def test_what_cannot_be_computed_to_the_cent_is_refused(text):
    with pytest.raises(InvalidValue):
        formats.read_number(text)
    assert formats.read_number("999 999 999 999 999") == 999999999999999
