"""Edits of moves: a new bundle of changes, and single changes put into one or taken out of it again."""

from collections.abc import Sequence

from widefork.core.changes import Change, Move
from widefork.store.edit import Apply, Edit
from widefork.store.edits.rows import named_row, next_position, refuse_same_label, refuse_taken
from widefork.store.loading import change_of
from widefork.store.saving import change_row
from widefork.store.tables import ChangeRow, MoveRow


def add_move(move: Move, sentence: str, case: str = "") -> Apply:
    """Add a move behind the others, switched on in a case if one is named."""

    def apply(edit: Edit) -> None:
        refuse_taken(edit.rows.moves, "move", move.name, f"moves/{move.name}")
        refuse_same_label(edit.rows.moves, "move", move.label, f"moves/{move.name}")
        edit.describe(f"move:{move.name}", sentence)
        row = MoveRow(
            model_id=edit.model_id,
            position=next_position(edit.rows.moves),
            name=move.name,
            label=move.label,
            start=str(move.start),
            note=move.note,
        )
        edit.add(row)
        for place, change in enumerate(move.changes):
            edit.add(change_row(change, place, edit.rows, move_id=row.id))
        if case:
            found = named_row(edit.rows.cases, "case", case)
            edit.update(found, moves=[*found.moves, {"move": row.id, "start": None, "strength": 1.0}])

    return apply


def put_in_move(move: str, changes: Sequence[Change], sentence: str) -> Apply:
    """Add changes to a move, in place of what it did to the same members of the same lines."""

    def apply(edit: Edit) -> None:
        row: MoveRow = named_row(edit.rows.moves, "move", move)
        edit.describe(f"move:{row.id}", sentence)
        rows = _changes_of(edit, row)
        for change in changes:
            for existing in rows:
                known = change_of(existing, edit.rows)
                if (known.line, known.members) == (change.line, change.members):
                    edit.remove(existing)
        begin = max((existing.position for existing in rows), default=-1) + 1
        for place, change in enumerate(changes, begin):
            edit.add(change_row(change, place, edit.rows, move_id=row.id))

    return apply


def take_out_of_move(move: str, line: str, members: tuple[tuple[str, str], ...], sentence: str) -> Apply:
    """Remove what a move does to some members of a line."""

    def apply(edit: Edit) -> None:
        row: MoveRow = named_row(edit.rows.moves, "move", move)
        edit.describe(f"move:{row.id}", sentence)
        for existing in _changes_of(edit, row):
            known = change_of(existing, edit.rows)
            if (known.line, known.members) == (line, members):
                edit.remove(existing)

    return apply


def _changes_of(edit: Edit, move: MoveRow) -> list[ChangeRow]:
    return edit.rows.changes_of_move(move.id)
