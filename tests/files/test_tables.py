"""Tables from files: comma-separated values in the ways spreadsheets write them, and .xlsx."""

from io import BytesIO
from zipfile import ZipFile

import openpyxl
import pytest

from widefork.core.errors import InvalidValue
from widefork.files.history import read_history
from widefork.files.tables import MOST_ROWS, plain_cell, read_table


def spreadsheet(*rows):
    book = openpyxl.Workbook()
    for row in rows:
        book.active.append(row)
    content = BytesIO()
    book.save(content)
    return content.getvalue()


OPEN = "urn:oasis:names:tc:opendocument:xmlns"
CELLS = " ".join(f'xmlns:{name}="{OPEN}:{name}:1.0"' for name in ("office", "table", "text"))


def open_document(*rows):
    """A spreadsheet as OpenDocument 1.3 (ISO/IEC 26300) describes it, as small as can be."""

    def cell(value):
        if isinstance(value, str):
            kind = "date" if value[:2] == "20" else "string"
            said = f' office:date-value="{value}"' if kind == "date" else ""
            return f'<table:table-cell office:value-type="{kind}"{said}><text:p>{value}</text:p></table:table-cell>'
        return f'<table:table-cell office:value-type="float" office:value="{value}"/>'

    lines = "".join(f"<table:table-row>{''.join(map(cell, row))}</table:table-row>" for row in rows)
    sheet = f'<table:table table:name="one">{lines}</table:table>'
    text = (
        f'<?xml version="1.0" encoding="UTF-8"?><office:document-content {CELLS} office:version="1.3"><office:body>'
        f"<office:spreadsheet>{sheet}</office:spreadsheet></office:body></office:document-content>"
    )
    content = BytesIO()
    with ZipFile(content, "w") as book:
        book.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        book.writestr("content.xml", text)
        book.writestr("META-INF/manifest.xml", f'<m:manifest xmlns:m="{OPEN}:manifest:1.0"/>')
    return content.getvalue()


def test_an_open_document_is_read_as_any_other():
    rows = read_table("kits.ods", open_document(("month", "kits"), ("2026-01-31", 12.5), ("2026-02-28", 13)))
    assert rows[0] == ("month", "kits")
    assert [row[1] for row in rows[1:]] == ["12.5", "13"]
    series = read_history(rows).series["kits"]
    assert (str(series.start), series.values.tolist()) == ("2026-01", [12.5, 13])
    with pytest.raises(InvalidValue, match="ods file cannot be opened"):
        read_table("kits.ods", b"no zip")


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
        ("books.pdf", b"x", "expected a .csv, .xlsx or .ods"),
        ("books", b"x", "expected a .csv, .xlsx or .ods"),
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
