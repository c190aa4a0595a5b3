"""Tables from files: comma-separated values in the ways spreadsheets write them, and .xlsx."""

from io import BytesIO

import openpyxl
import pytest

from widefork.core.errors import InvalidValue
from widefork.files.tables import MOST_ROWS, plain_cell, read_table


def spreadsheet(*rows):
    book = openpyxl.Workbook()
    for row in rows:
        book.active.append(row)
    content = BytesIO()
    book.save(content)
    return content.getvalue()


@pytest.mark.parametrize(
    "content",
    [
        b"Cash,100\nRent,200\n",
        b"Cash;100\r\nRent;200\r\n",
        b"Cash\t100\nRent\t200\n",
        b'\xef\xbb\xbf"Cash","100"\n\n"Rent","200"',
        b"Cash , 100\n,\nRent , 200",
    ],
)
def test_values_apart_by_any_usual_mark_are_read(content):
    assert read_table("books.csv", content) == (("Cash", "100"), ("Rent", "200"))


def test_names_outside_ascii_are_read_in_either_encoding():
    for encoding in ("utf-8", "cp1252"):
        assert read_table("b.csv", "Büro,1\nMöbel,2\n".encode(encoding)) == (("Büro", "1"), ("Möbel", "2"))


def test_numbers_of_a_spreadsheet_keep_every_digit():
    content = spreadsheet(["Cash", 481200], [None, None], ["Rent", 9000.25], ["Odd", 12.125], ["When", None])
    assert read_table("Books.XLSX", content) == (
        ("Cash", "481200"), ("Rent", "9000.25"), ("Odd", "12.125"), ("When", ""),
    )  # fmt: skip


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("books.pdf", b"x", "expected a .csv or .xlsx"),
        ("books", b"x", "expected a .csv or .xlsx"),
        ("books.csv", b"\n\n", "has no cells"),
        ("books.xlsx", b"not a workbook", "cannot be opened"),
        ("books.xlsx", spreadsheet([]), "has no cells"),
        ("books.csv", b"a,1\n" * (MOST_ROWS + 1), "rows; up to"),
    ],
)
def test_what_is_no_table_of_books_is_refused_in_words(name, content, said):
    with pytest.raises(InvalidValue, match=said):
        read_table(name, content)


@pytest.mark.parametrize(("text", "cell"), [("=1+1", "'=1+1"), ("@sum", "'@sum"), ("+4", "'+4"), ("-x", "'-x"),
                                            ("\tx", "'\tx"), ("Kit price", "Kit price"), ("", "")])  # fmt: skip
def test_a_text_that_begins_like_a_formula_is_quoted(text, cell):
    assert plain_cell(text) == cell
