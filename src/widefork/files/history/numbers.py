"""Numbers of one column, in whichever decimal style the column is written."""

import re
from collections.abc import Sequence

_CURRENCY = re.compile(r"[€$£%]|EUR|USD|GBP|CHF", re.IGNORECASE)
_BETWEEN = re.compile(r"[\s\u00a0\u202f']")
_NUMBER = re.compile(r"[+-]?\d*\.?\d+(?:[eE][+-]?\d+)?|[+-]?\d+\.")
_NOTHING = {"", "-", "–", "—", "n/a", "na", "nan", "null", "none", "."}
MINUS = "−"


def is_nothing(text: str) -> bool:
    """Whether a cell says that nothing is known."""
    return text.strip().lower() in _NOTHING


def decimal_mark(cells: Sequence[str]) -> str:
    """Return the decimal mark of a column, ``.`` or ``,``.

    A cell with both marks tells, and so does one mark that is not followed by exactly three digits, or stands twice.
    Where no cell tells, a single mark before three digits groups thousands, as in 12,500; common practice.
    """
    votes = {".": 0, ",": 0}
    for cell in cells:
        body = _bare(cell)
        dots, commas = body.count("."), body.count(",")
        if dots and commas:
            votes["." if body.rfind(".") > body.rfind(",") else ","] += 10
        elif dots > 1:
            votes[","] += 10
        elif commas > 1:
            votes["."] += 10
        elif dots == 1 and not re.fullmatch(r"[1-9]\d{0,2}\.\d{3}", body):
            votes["."] += 1
        elif commas == 1 and not re.fullmatch(r"[1-9]\d{0,2},\d{3}", body):
            votes[","] += 1
    if votes["."] == votes[","] == 0:
        return "," if any("." in _bare(cell) for cell in cells) and not any("," in cell for cell in cells) else "."
    return "." if votes["."] >= votes[","] else ","


def read_number(text: str, mark: str) -> float | None:
    """Return a cell's number, NaN for one that says nothing is known; None where it is none. Brackets mean negative."""
    if is_nothing(text):
        return float("nan")
    body = _bare(text)
    is_negative = body.startswith("(") and body.endswith(")")
    body = body.strip("()").replace("." if mark == "," else ",", "").replace(mark, ".")
    if not _NUMBER.fullmatch(body):
        return None
    value = float(body)
    return -value if is_negative else value


def _bare(text: str) -> str:
    body = _CURRENCY.sub("", text).replace(MINUS, "-")
    return _BETWEEN.sub("", body)
