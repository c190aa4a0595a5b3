"""Renaming a line or a member inside formulas, without touching anything else of their text."""

import re
from collections.abc import Container

from widefork.core.language import syntax
from widefork.core.language.parse import parse
from widefork.core.language.printing import write_member


def rename_in_formula(text: str, old: str, new: str) -> str:
    """Return the formula with every use of a name replaced; spacing and brackets stay as written.

    Raises
    ------
    FormulaError: a formula that cannot be read.

    Examples
    --------
    >>> rename_in_formula("kits * kits_price + before( kits )", "kits", "sets")
    'sets * kits_price + before( sets )'
    """
    spots = [
        piece.spot
        for piece in syntax.walk(parse(text))
        if isinstance(piece, syntax.Name | syntax.At) and piece.name == old
    ]
    rows = text.split("\n")
    for spot in sorted(spots, key=lambda s: (s.line, s.column), reverse=True):
        row, start = rows[spot.line - 1], spot.column - 1
        rows[spot.line - 1] = row[:start] + new + row[start + len(old) :]
    return "\n".join(rows)


def rename_member_in_formula(text: str, line_names: Container[str], old: str, new: str) -> str:
    """Return the formula with every ``at old`` of some lines replaced by ``at new``; all else stays as written.

    Parameters
    ----------
    line_names : the lines spread over the member's dimension; another dimension may have a member of the same name.

    Raises
    ------
    FormulaError: a formula that cannot be read.

    Examples
    --------
    >>> rename_member_in_formula("price at Coast * sets at Coast", {"price"}, "Coast", "North shore")
    'price at "North shore" * sets at Coast'
    """
    rows = text.split("\n")
    spots = [
        piece.spot
        for piece in syntax.walk(parse(text))
        if isinstance(piece, syntax.At) and piece.member == old and piece.name in line_names
    ]
    written = re.compile(rf'(\w+\s+at\s+)(?:"{re.escape(old)}"|{re.escape(old)}\b)')
    named = write_member(new)
    for spot in sorted(spots, key=lambda s: (s.line, s.column), reverse=True):
        row, start = rows[spot.line - 1], spot.column - 1
        found = written.match(row, start)
        if found is not None:
            rows[spot.line - 1] = row[:start] + found[1] + named + row[found.end() :]
    return "\n".join(rows)
