"""What the edits share: finding rows by name, and keeping positions."""

from collections.abc import Iterable
from typing import Any

from widefork.core.errors import InvalidModel, UnknownName
from widefork.store.edit import Apply, Edit
from widefork.store.tables import LineRow


def named_row(rows: Iterable[Any], kind: str, name: str) -> Any:
    """Return the row of a name; raise UnknownName."""
    known = list(rows)
    for row in known:
        if row.name == name:
            return row
    raise UnknownName(kind, name, [row.name for row in known])


def line_row_of(edit: Edit, name: str) -> LineRow:
    """Return the row of a line of the user's own; raise UnknownName."""
    row: LineRow = named_row(edit.rows.lines, "line of your own", name)
    return row


def refuse_taken(rows: Iterable[Any], kind: str, name: str, place: str) -> None:
    """Raise InvalidModel where a name is already used."""
    if any(row.name == name for row in rows):
        raise InvalidModel(f"There is already a {kind} {name}; names are used once.", place)


def refuse_same_label(rows: Iterable[Any], kind: str, label: str, place: str, own: Any = None) -> None:
    """Raise InvalidModel where another one is called so already: nobody could tell the two apart by reading."""
    said = " ".join(label.split())
    for row in rows:
        if row is not own and " ".join(row.label.split()).casefold() == said.casefold():
            raise InvalidModel(f"There is already a {kind} called {row.label}. Give this one another name.", place)


def next_position(rows: Iterable[Any]) -> int:
    """Return the position behind all rows."""
    return max((row.position for row in rows), default=-1) + 1


def swap_positions(edit: Edit, rows: list[Any], row: Any, by: int) -> None:
    """Move a row up (-1) or down (+1) among its own, given in order; at an end it stays."""
    place = next(i for i, other in enumerate(rows) if other.id == row.id)
    if 0 <= place + by < len(rows):
        other = rows[place + by]
        mine, theirs = row.position, other.position
        edit.update(row, position=theirs)
        edit.update(other, position=mine)


def together(applies: Iterable[Apply], sentence: str) -> Apply:
    """Return several edits as one gesture, with one sentence in the log."""

    def apply(edit: Edit) -> None:
        subjects: list[str] = []
        for each in applies:
            each(edit)
            subjects += edit.subject.splitlines()
        edit.describe("\n".join(dict.fromkeys(subjects)), sentence)

    return apply
