"""Edits of moves: a new bundle of changes, single changes put into one or taken out again, and switching them."""

from collections.abc import Sequence
from typing import Any

from widefork.core.axes import Month
from widefork.core.changes import Aim, Change, Move, Switch
from widefork.core.errors import InvalidModel
from widefork.store.edit import Apply, Edit
from widefork.store.edits.rows import named_row, next_position, refuse_same_label, refuse_taken, swap_positions
from widefork.store.loading import change_of
from widefork.store.saving import aim_documents, change_row, move_row, step_row
from widefork.store.tables import CaseRow, ChangeRow, MoveRow


def add_move(move: Move, sentence: str, case: str = "") -> Apply:
    """Add a move behind the others, switched on in a case if one is named."""

    def apply(edit: Edit) -> None:
        refuse_taken(edit.rows.moves, "move", move.name, f"moves/{move.name}")
        refuse_same_label(edit.rows.moves, "move", move.label, f"moves/{move.name}")
        edit.describe(f"move:{move.name}", sentence)
        row = move_row(move, next_position(edit.rows.moves), edit.rows)
        row.aims = aim_documents(move.aims, edit.rows)
        edit.add(row)
        for place, change in enumerate(move.changes):
            edit.add(change_row(change, place, edit.rows, move_id=row.id))
        if case:
            switch_on(case, move.name, sentence)(edit)
            edit.describe(f"move:{move.name}", sentence)

    return apply


def switch_on(case: str, move: str, sentence: str) -> Apply:
    """Switch a move on in a case, as its last step; one of a group that excludes others takes the place of the one on.

    Where it is inherited and only another of its group kept it out, that one goes and no step is needed.

    Raises (when applied)
    ------
    InvalidModel: it is on already.
    """

    def apply(edit: Edit) -> None:
        case_row, row = edit.rows.case(case), named_row(edit.rows.moves, "move", move)
        edit.describe(f"case:{case_row.id}|move:{row.id}", sentence)
        if edit.rows.standing_switch(case_row, row.id) is not None:
            raise InvalidModel(f"{row.label} is on already in {case_row.label}.", f"cases/{case}")
        _remove_rivals(edit, case_row, row)
        if edit.rows.standing_switch(case_row, row.id) is None:
            _append(edit, case_row, Switch(move))

    return apply


def set_switch(case: str, switch: Switch, sentence: str) -> Apply:
    """Have a move on in a case from a month and at a strength, whether it is on already or not."""

    def apply(edit: Edit) -> None:
        case_row, row = edit.rows.case(case), named_row(edit.rows.moves, "move", switch.move)
        edit.describe(f"case:{case_row.id}|move:{row.id}", sentence)
        _remove_rivals(edit, case_row, row)
        own = [known for known in edit.rows.switches_of_case(case_row.id) if known.move_id == row.id]
        if own:
            start = None if switch.start is None else str(switch.start)
            edit.update(own[0], start=start, strength=switch.strength)
        else:
            _append(edit, case_row, switch)

    return apply


def _remove_rivals(edit: Edit, case: CaseRow, move: MoveRow) -> None:
    """Take out what a case itself switches on of a move's group, but for the move."""
    rivals = {other.id for other in edit.rows.moves if move.one_of and other.one_of == move.one_of} - {move.id}
    for own in edit.rows.switches_of_case(case.id):
        if own.move_id in rivals:
            edit.remove(own)


def _append(edit: Edit, case: CaseRow, switch: Switch) -> None:
    position = next_position(edit.rows.steps_of_case(case.id))
    edit.add(step_row(switch, position, edit.rows, int(case.id or 0)))


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


def change_move(name: str, sentence: str, **values: Any) -> Apply:
    """Change what a move says of itself: ``label``, ``note``, ``start``, ``owner``, ``status``, ``one_of``.

    Another start shifts its changes with it, so that what it does stays what it was, only then.

    Raises (when applied)
    ------
    InvalidModel: a label another move has, or a group of which a case has another one on.
    """

    def apply(edit: Edit) -> None:
        row: MoveRow = named_row(edit.rows.moves, "move", name)
        if values.get("label", row.label) != row.label:
            refuse_same_label(edit.rows.moves, "move", values["label"], f"moves/{name}", row)
        edit.describe(f"move:{row.id}", sentence)
        by = Month.parse(values.get("start", row.start)).ordinal - Month.parse(row.start).ordinal
        for change in _changes_of(edit, row) if by else ():
            shifted = {key: str(Month.parse(at).plus(by)) for key in ("first", "last") if (at := getattr(change, key))}
            edit.update(change, **shifted)
        edit.update(row, **values)

    return apply


def set_aims(name: str, aims: Sequence[Aim], sentence: str) -> Apply:
    """Say what a move is to bring, in place of what was said; raises UnknownName for a figure (when applied)."""

    def apply(edit: Edit) -> None:
        row: MoveRow = named_row(edit.rows.moves, "move", name)
        edit.describe(f"move:{row.id}", sentence)
        edit.update(row, aims=aim_documents(aims, edit.rows))

    return apply


def set_changes(name: str, changes: Sequence[Change], sentence: str) -> Apply:
    """Give a move other changes; those that stay in their place keep their rows."""

    def apply(edit: Edit) -> None:
        row: MoveRow = named_row(edit.rows.moves, "move", name)
        edit.describe(f"move:{row.id}", sentence)
        rows = _changes_of(edit, row)
        for place, change in enumerate(changes):
            wanted = change_row(change, place, edit.rows, move_id=row.id)
            if place < len(rows):
                edit.update(rows[place], **wanted.model_dump(exclude={"id", "case_id", "move_id"}))
            else:
                edit.add(wanted)
        for spare in rows[len(changes) :]:
            edit.remove(spare)

    return apply


def move_move(name: str, by: int, sentence: str) -> Apply:
    """Move a move one place up (-1) or down (+1) in the list; the figures do not depend on it."""

    def apply(edit: Edit) -> None:
        row: MoveRow = named_row(edit.rows.moves, "move", name)
        edit.describe(f"move:{row.id}|order", sentence)
        swap_positions(edit, edit.rows.moves, row, by)

    return apply


def remove_move(name: str, sentence: str) -> Apply:
    """Remove a move, and switch it off wherever it is on."""

    def apply(edit: Edit) -> None:
        row: MoveRow = named_row(edit.rows.moves, "move", name)
        edit.describe(f"move:{row.id}", sentence)
        switches = [own for case in edit.rows.cases for own in edit.rows.switches_of_case(case.id)]
        gone = [switch for switch in switches if switch.move_id == row.id]
        for case in edit.rows.cases:
            drops = [drop for drop in case.drops if drop.get("switch") not in {switch.id for switch in gone}]
            if drops != case.drops:
                edit.update(case, drops=drops)
        for each in (*gone, *_changes_of(edit, row), row):
            edit.remove(each)

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
