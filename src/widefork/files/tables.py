"""Tables of cells from files: comma-separated values, .xlsx and .ods, as rows of text."""

import csv
from io import BytesIO, StringIO

from widefork.core.errors import InvalidValue

MOST_ROWS, MOST_COLUMNS = 2000, 40
_BEGINS_FORMULA = ("=", "+", "-", "@", "\t", "\r")
Rows = tuple[tuple[str, ...], ...]


def read_table(name: str, content: bytes, most_rows: int = MOST_ROWS, most_columns: int = MOST_COLUMNS) -> Rows:
    """Return the cells of a file's first sheet; empty rows are left out.

    Parameters
    ----------
    name : the file's name; its ending says what it is. most_rows : more are refused. most_columns : more are left out.

    Raises
    ------
    InvalidValue: another kind of file, one that cannot be read, nothing in it, or more rows than books have.
    """
    ending = name.lower().rpartition(".")[2]
    if ending == "xlsx":
        rows = _xlsx(content, most_rows, most_columns)
    elif ending == "ods":
        rows = _ods(content, most_rows, most_columns)
    elif ending in ("csv", "tsv", "txt"):
        rows = _csv(content, most_columns)
    else:
        raise InvalidValue(f"“{name}” is no table this can read; expected a .csv, .xlsx or .ods file, or cells pasted.")
    width = max((place + 1 for row in rows for place, cell in enumerate(row) if cell), default=0)
    kept = tuple(row[:width] for row in rows if any(row))
    if not kept:
        raise InvalidValue(f"“{name}” has no cells in its first sheet.")
    if len(kept) > most_rows:
        raise InvalidValue(f"“{name}” has {len(kept):,} rows; up to {most_rows:,} are read. Divide it.")
    return kept


def plain_cell(text: str) -> str:
    """Return a text as a cell that no spreadsheet takes for a formula: one that begins like one is quoted."""
    return f"'{text}" if text.startswith(_BEGINS_FORMULA) else text


def _csv(content: bytes, most_columns: int) -> list[tuple[str, ...]]:
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = content.decode("cp1252", errors="replace")  # what spreadsheets write where it is not UTF-8
    try:
        dialect: type[csv.Dialect] = csv.Sniffer().sniff(text[:4000], ",;\t|")
    except csv.Error:
        dialect = csv.excel
    try:
        return [tuple(cell.strip() for cell in row[:most_columns]) for row in csv.reader(StringIO(text), dialect)]
    except csv.Error as fault:
        raise InvalidValue(f"The file cannot be read as a table: {fault}.") from fault


def _xlsx(content: bytes, most_rows: int, most_columns: int) -> list[tuple[str, ...]]:
    from openpyxl import load_workbook  # half a second to load, needed by this alone

    try:
        sheet = load_workbook(BytesIO(content), read_only=True, data_only=True).worksheets[0]
        rows = list(sheet.iter_rows(values_only=True, max_col=most_columns, max_row=most_rows + 1))
    except Exception as fault:  # the library raises whatever its parsers do
        raise InvalidValue("The .xlsx file cannot be opened; save it once more, or paste its cells.") from fault
    return [tuple(_text(cell) for cell in row) for row in rows]


def _ods(content: bytes, most_rows: int, most_columns: int) -> list[tuple[str, ...]]:
    from python_calamine import CalamineError, CalamineWorkbook  # needed by this alone

    try:
        sheet = CalamineWorkbook.from_filelike(BytesIO(content)).get_sheet_by_index(0)
    except CalamineError as fault:
        raise InvalidValue("The .ods file cannot be opened; save it once more, or paste its cells.") from fault
    rows = sheet.to_python(skip_empty_area=False, nrows=most_rows + 1)
    return [tuple(_text(cell) for cell in row[:most_columns]) for row in rows]


def _text(cell: object) -> str:
    if cell is None:
        return ""
    if isinstance(cell, float):
        return repr(cell) if cell != int(cell) else str(int(cell))
    return str(cell).strip()
