"""What a cell's formula is made of: pieces of text, with references between them that move along from month to month.

A reference says how many months from its own cell it looks, so that every month's cell is the same formula moved along.
What looks back past the first month reads columns before it, which hold the months that are known from before the plan.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from widefork.core.errors import WideforkError
from widefork.core.lines import MemberKey

ATOM, POWER, PRODUCT, SUM, COMPARED = 9, 7, 6, 5, 4
"""How strongly pieces hold together in a cell: a minus there binds more strongly than a power."""


class NotInCells(WideforkError):
    """A piece that cells cannot hold; says why."""


@dataclass(frozen=True)
class At:
    """A place in the workbook: a sheet and a row, from 0."""

    sheet: str
    row: int

    def below(self, rows: int) -> "At":
        """Return the place so many rows below."""
        return At(self.sheet, self.row + rows)


@dataclass(frozen=True)
class Ref:
    """The cell of a row so many months after the one that reads it."""

    at: At
    offset: int = 0


@dataclass(frozen=True)
class Anchor:
    """The cell of a row that is the same for every month: the plan's first, or that of the first column there is."""

    at: At
    is_earliest: bool = False


@dataclass(frozen=True)
class Fixed:
    """Columns from and to of a row, the same for every month; one cell where both are one."""

    at: At
    first: int
    last: int


Piece = str | Ref | Anchor | Fixed
Pieces = tuple[Piece, ...]
Place = Mapping[str, int]
"""Member's place by dimension name."""


@dataclass(frozen=True)
class Text:
    """Pieces of a cell's formula, and how strongly they hold together. ``is_truth``: a bare condition."""

    pieces: Pieces
    strength: int
    is_truth: bool = False

    def within(self, strength: int) -> Pieces:
        """Return the pieces, in brackets where something around holds more strongly."""
        return self.pieces if self.strength >= strength else ("(", *self.pieces, ")")


@dataclass(frozen=True)
class Places:
    """Where everything stands: lines by name and member key, counters and flags, profiles as they are read.

    Parameters
    ----------
    profiles : by name, its values latest age first. steps : the same of its differences, for what fades in.
    ages : ages 0, 1, 2 ... latest first, as long as any flow is counted back.
    """

    lines: Mapping[tuple[str, MemberKey], At]
    counters: Mapping[str, At]
    profiles: Mapping[str, Fixed]
    steps: Mapping[str, Fixed]
    ages: Fixed


def literal(value: float) -> Text:
    """Return a number with all its digits."""
    return Text((digits(value),), ATOM if value >= 0 else SUM)


def digits(value: float) -> str:
    """Return the shortest text that reads back as a number: ``0.1``, ``12``, ``1e-07``."""
    return repr(float(value)).removesuffix(".0")


def call(name: str, *arguments: Pieces) -> Text:
    """Return a function of cells."""
    pieces: list[Piece] = [f"{name}("]
    for place, argument in enumerate(arguments):
        pieces += [",", *argument] if place else [*argument]
    return Text((*pieces, ")"), ATOM)


def window(at: At, first: int, last: int) -> Pieces:
    """Return the cells of a row from one month to another, both counted from the one that reads them."""
    return (Ref(at, first), ":", Ref(at, last)) if first != last else (Ref(at, first),)


def so_far(at: At) -> Pieces:
    """Return the cells of a row from the plan's first month to the one that reads them."""
    return (Anchor(at), ":", Ref(at))


def total(texts: Sequence[Text]) -> Text:
    """Return the sum of pieces; of rows that stand below one another, as their range."""
    if not texts:
        return Text(("0",), ATOM)
    refs = [text.pieces[0] for text in texts if len(text.pieces) == 1 and isinstance(text.pieces[0], Ref)]
    if len(refs) == len(texts) > 1 and are_below(refs):
        return call("SUM", (refs[0], ":", refs[-1]))
    pieces: list[Piece] = [*texts[0].within(SUM)]
    for text in texts[1:]:
        pieces += ["+", *text.within(SUM)]
    return Text(tuple(pieces), SUM if len(texts) > 1 else texts[0].strength)


def are_below(refs: Sequence[Ref]) -> bool:
    """Return whether references stand in rows one below the other, of the same month."""
    first = refs[0]
    return all(ref == Ref(first.at.below(place), first.offset) for place, ref in enumerate(refs))
