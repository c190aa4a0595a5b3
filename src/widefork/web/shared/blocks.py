"""Blocks of cells as a clipboard carries them: tab-separated rows, numbers in either decimal style."""

import re

from widefork.core.errors import InvalidValue
from widefork.web.shared.formats import DASH, MINUS, read_number, refuse_too_much

MOST_CELLS = 20_000
_SPACES = str.maketrans("", "", " \u00a0\u202f'")
_PLAIN = re.compile(r"-?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,3})?")
"""A number as spreadsheets copy it, exponents included."""
_SIGNS = re.compile(r"^[€$£¥]|[€$£¥]$|^[A-Z]{3}\b|\b[A-Z]{3}$")

Block = tuple[tuple[str, ...], ...]


class TwoReadings(InvalidValue):
    """A block whose numbers could have a decimal point or a decimal comma, and nothing in it tells which."""

    offers = (("mark:.", "Decimal points"), ("mark:,", "Decimal commas"))


def read_block(text: str) -> Block:
    """Return the rows of a block, all of one length; empty rows at the end are left out.

    Raises
    ------
    InvalidValue: nothing in it, or more cells than a sheet takes at once.
    """
    rows = [row.split("\t") for row in text.replace("\r\n", "\n").replace("\r", "\n").rstrip("\n").split("\n")]
    width = max(len(row) for row in rows)
    block = tuple(tuple(cell.strip() for cell in (*row, *[""] * (width - len(row)))) for row in rows)
    if not any(any(row) for row in block):
        raise InvalidValue("There is nothing to paste. Copy some cells first.")
    if len(block) * width > MOST_CELLS:
        raise InvalidValue(f"That are {len(block) * width:,} cells; up to {MOST_CELLS:,} can be pasted at once.")
    return block


def decimal_mark(block: Block) -> str:
    """Return the block's decimal mark, ``.`` or ``,``; a point where nothing but plain numbers is there.

    Raises
    ------
    TwoReadings: every comma could be one or the other.
    """
    votes = {".": 0, ",": 0}
    doubtful = ""
    for cell in (cell for row in block for cell in row):
        body = bare_number(cell)
        dots, commas = body.count("."), body.count(",")
        if dots and commas:
            votes["." if body.rfind(".") > body.rfind(",") else ","] += 1
        elif dots > 1 or commas > 1:
            votes["," if dots else "."] += 1
        elif dots or commas:
            mark = "." if dots else ","
            if re.fullmatch(rf"-?[1-9]\d{{0,2}}\{mark}\d{{3}}", body):
                doubtful = doubtful or (cell if commas else "")
            else:
                votes[mark] += 1
    if votes["."] and votes[","]:
        raise TwoReadings("Some numbers in this block have a decimal point and some a decimal comma.")
    if not votes["."] and not votes[","] and doubtful:
        raise TwoReadings(f"“{doubtful}” can be read two ways.")
    return "," if votes[","] else "."


def read_pasted(cell: str, unit: str, mark: str) -> float | None:
    """Return a pasted cell's value in the line's unit; None where the cell is empty.

    Raises
    ------
    InvalidValue: not a number, or a percentage on a line that is not in percent.
    """
    body = bare_number(cell)
    if not cell:
        return None
    if body in ("-", DASH, MINUS):
        return 0.0
    is_percent = cell.rstrip(" )").endswith("%")
    is_share = unit.startswith("%")
    if is_percent and not is_share:
        raise InvalidValue(f"“{cell}” is a percentage, and this line is in {unit or 'plain numbers'}.")
    negative = body.startswith("(") and body.endswith(")")
    plain = body.strip("()").replace("." if mark == "," else ",", "").replace(",", ".")
    value = float(plain) if _PLAIN.fullmatch(plain) else read_number(plain)
    refuse_too_much(value, cell)
    return (-value if negative else value) / (100 if is_share else 1)


def bare_number(cell: str) -> str:
    """Return a cell without currency, percent and spaces, its minus in front, brackets kept."""
    inside = cell.strip().removeprefix("(").removesuffix(")") if cell.strip().startswith("(") else cell.strip()
    bare = _SIGNS.sub("", _SIGNS.sub("", inside.replace("%", "").strip()).strip()).translate(_SPACES)
    bare = bare.replace(MINUS, "-")
    if len(bare) > 1 and bare.endswith("-"):  # as ledgers print it
        bare = f"-{bare[:-1]}"
    return f"({bare})" if cell.strip().startswith("(") else bare
