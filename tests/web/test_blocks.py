"""What a clipboard brings: blocks in either decimal style, with signs and brackets around the numbers."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from widefork.core.errors import InvalidValue
from widefork.web.shared.blocks import TwoReadings, decimal_mark, read_block, read_pasted


def test_rows_are_made_equally_long_and_empty_ones_at_the_end_are_left_out():
    assert read_block("1\t2\t3\r\n4\r\n\r\n") == (("1", "2", "3"), ("4", "", ""))


@pytest.mark.parametrize("text", ["", "\n\n", "\t\t\n\t"])
def test_nothing_is_not_pasted(text):
    with pytest.raises(InvalidValue, match="nothing to paste"):
        read_block(text)


def test_a_whole_library_is_not_pasted_at_once():
    with pytest.raises(InvalidValue, match="can be pasted at once"):
        read_block("1\t" * 30_000)


@pytest.mark.parametrize(
    ("text", "mark"),
    [
        ("1\t2", "."), ("1.5\t2", "."), ("1,5\t2", ","), ("1,234.50\t3,000", "."), ("1.234,50\t3.000", ","),
        ("1,234,567\t3,000", "."), ("12.345\t7", "."), ("€ 1.234,5\t(3,25)", ","), ("5,5 %\t1,000", ","),
        ("0,125\t3", ","),
    ],
)  # fmt: skip
def test_a_block_tells_its_decimal_mark(text, mark):
    assert decimal_mark(read_block(text)) == mark


@pytest.mark.parametrize("text", ["1,234", "1.5\t2,5", "5,000\t6,000"])
def test_a_block_that_could_be_read_two_ways_is_asked_about(text):
    with pytest.raises(TwoReadings) as fault:
        decimal_mark(read_block(text))
    assert dict(fault.value.offers) == {"mark:.": "Decimal points", "mark:,": "Decimal commas"}


@pytest.mark.parametrize(
    ("cell", "unit", "mark", "value"),
    [
        ("1,234.50", "EUR", ".", 1234.5), ("1.234,50", "EUR", ",", 1234.5), ("(45)", "EUR", ".", -45.0),
        ("($ 1,250.00)", "EUR", ".", -1250.0), ("€ 46,00", "EUR/kit", ",", 46.0), ("EUR 12", "EUR", ".", 12.0),
        ("12 EUR", "EUR", ".", 12.0), ("4 %", "%", ".", 0.04), ("4", "% a year", ".", 0.04), ("−7", "EUR", ".", -7.0),
        ("-7", "EUR", ".", -7.0), ("–", "EUR", ".", 0.0), ("", "EUR", ".", None), ("1 234 567", "kits", ".", 1234567.0),
        ("1e3", "EUR", ".", 1000.0),
    ],
)  # fmt: skip
def test_cells_are_read_as_people_write_them(cell, unit, mark, value):
    assert read_pasted(cell, unit, mark) == (None if value is None else pytest.approx(value))


@pytest.mark.parametrize(("cell", "unit"), [("many", "EUR"), ("5 %", "kits"), ("1..2", "EUR"), ("()", "EUR")])
def test_what_is_no_number_is_said(cell, unit):
    with pytest.raises(InvalidValue):
        read_pasted(cell, unit, ".")


@given(st.floats(-1e9, 1e9, allow_nan=False), st.booleans())
def test_numbers_written_in_either_style_come_back(value, is_comma):
    text = f"{abs(value):,.2f}"
    text = text.translate(str.maketrans(",.", ".,")) if is_comma else text
    cell = f"({text})" if value < 0 else text
    assert read_pasted(cell, "EUR", "," if is_comma else ".") == pytest.approx(round(value, 2), abs=0.006)


@pytest.mark.parametrize("cell", ["nan", "inf", "1e15", "-1e300", "9" * 30, "1_000"])
def test_what_is_no_amount_of_money_is_not_pasted(cell):
    with pytest.raises(InvalidValue):
        read_pasted(cell, "EUR", ".")
    assert read_pasted("1.2E+05", "EUR", ".") == 120000
    assert read_pasted(".5", "EUR", ".") == 0.5
