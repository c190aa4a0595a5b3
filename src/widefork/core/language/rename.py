"""Renaming a line inside formulas, without touching anything else of their text."""

from widefork.core.language import syntax
from widefork.core.language.parse import parse


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
