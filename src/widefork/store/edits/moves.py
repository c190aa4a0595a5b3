"""Edits of moves: a new bundle of changes, single changes put into one or taken out again, and switching them."""

from collections.abc import Sequence

from widefork.core.changes import Change, Move
from widefork.core.errors import InvalidModel
from widefork.store.edit import Apply, Edit
from widefork.store.edits.rows import named_row, next_position, refuse_same_label, refuse_taken
from widefork.store.loading import change_of
from widefork.store.saving import change_row
from widefork.store.tables import CaseRow, ChangeRow, MoveRow, SwitchRow


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
            _append(edit, edit.rows.case(case), row)

    return apply


def switch_on(case: str, move: str, sentence: str) -> Apply:
    """Switch a move on in a case, as its last step.

    Raises (when applied)
    ------
    InvalidModel: it is on already.
    """

    def apply(edit: Edit) -> None:
        case_row, row = edit.rows.case(case), named_row(edit.rows.moves, "move", move)
        edit.describe(f"case:{case_row.id}|move:{row.id}", sentence)
        if edit.rows.standing_switch(case_row, row.id) is not None:
            raise InvalidModel(f"{row.label} is on already in {case_row.label}.", f"cases/{case}")
        _append(edit, case_row, row)

    return apply


def switch_off(case: str, move: str, sentence: str) -> Apply:
    """Switch a move off in a case: its own step goes, an inherited one is dropped here.

    Raises (when applied)
    ------
    InvalidModel: it is not on.
    """

    def apply(edit: Edit) -> None:
        case_row, row = edit.rows.case(case), named_row(edit.rows.moves, "move", move)
        edit.describe(f"case:{case_row.id}|move:{row.id}", sentence)
        standing = edit.rows.standing_switch(case_row, row.id)
        if standing is None:
            raise InvalidModel(f"{row.label} is not on in {case_row.label}.", f"cases/{case}")
        for own in edit.rows.switches_of_case(case_row.id):
            if own.move_id == row.id:
                edit.remove(own)
        if standing.case_id != case_row.id:
            edit.update(case_row, drops=[*case_row.drops, {"switch": standing.id}])

    return apply


def _append(edit: Edit, case: CaseRow, move: MoveRow) -> None:
    position = next_position(edit.rows.steps_of_case(case.id))
    edit.add(SwitchRow(case_id=int(case.id or 0), move_id=int(move.id or 0), position=position, start=None))


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
