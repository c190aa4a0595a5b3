"""Closing a month: what the books said goes in, and the boundary of actuals moves; and opening it again."""

from collections.abc import Mapping
from dataclasses import replace

from widefork.core.axes import Month
from widefork.core.closing import Closing
from widefork.core.errors import InvalidValue
from widefork.core.lines import MemberKey
from widefork.store.edit import Apply, Edit
from widefork.store.edits.frame import change_timeline
from widefork.store.edits.values import set_actuals
from widefork.store.saving import closing_row
from widefork.store.tables import ClosingRow

OwnActuals = Mapping[tuple[str, MemberKey], float]
"""What a month of the user's own lines really was, by line and member."""


def close_month(closing: Closing, own: OwnActuals, sentence: str) -> Apply:
    """Close the month after the last actual one, or give a closed month other figures; as one edit.

    Parameters
    ----------
    closing : what the books say of generated lines and captions. own : of the user's own lines.

    Raises (when applied)
    ------
    InvalidValue: a month beyond the next one to close, or before the model's first.
    """

    def apply(edit: Edit) -> None:
        timeline = edit.present_model().timeline
        if not timeline.start <= closing.month <= min(timeline.first_plan, timeline.end):
            raise InvalidValue(
                f"{closing.month.label} cannot be closed yet; the next month to close is {timeline.first_plan.label}."
            )
        if not timeline.is_actual(closing.month):
            change_timeline(replace(timeline, last_actual=closing.month), sentence)(edit)
        for (line, members), amount in own.items():
            set_actuals(line, members, {closing.month: amount}, sentence)(edit)
        row = _row(edit, closing.month)
        wanted = closing_row(closing, edit.rows)
        if row is None:
            edit.add(wanted)
        else:
            edit.update(row, **wanted.model_dump(exclude={"id"}))
        edit.describe(f"model|timeline\nclosing:{closing.month}", sentence)

    return apply


def reopen_month(month: Month, sentence: str) -> Apply:
    """Make the last actual month plan again. What the books said of it is kept and waits.

    Raises (when applied)
    ------
    InvalidValue: another month than the last actual one.
    """

    def apply(edit: Edit) -> None:
        timeline = edit.present_model().timeline
        if month != timeline.last_actual:
            raise InvalidValue(f"Only the last month closed can be opened again; {month.label} is not.")
        change_timeline(replace(timeline, last_actual=month.plus(-1)), sentence)(edit)

    return apply


def set_closing_note(month: Month, line: str, note: str, sentence: str) -> Apply:
    """Say why a line differed from the plan in a month closed; an empty note takes it away."""

    def apply(edit: Edit) -> None:
        edit.describe(f"closing:{month}|{line}", sentence)
        key = edit.rows.target(line).key
        row = _row(edit, month)
        if row is None:
            if note:
                edit.add(ClosingRow(model_id=edit.model_id, month=str(month), notes={key: note}))
            return
        notes = {known: text for known, text in row.notes.items() if known != key}
        edit.update(row, notes={**notes, key: note} if note else notes)

    return apply


def _row(edit: Edit, month: Month) -> ClosingRow | None:
    return next((row for row in edit.rows.closings if row.month == str(month)), None)
