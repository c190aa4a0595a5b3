"""Reading the log: who did what, what a person can take back or put back, and what an edit touched."""

import re
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlmodel import Session, col, select

from widefork.core.axes import Month
from widefork.core.lines import MemberKey
from widefork.store.edit import STEPS, Edit
from widefork.store.rows import Rows
from widefork.store.subjects import Cells, read_subject
from widefork.store.tables import EditItemRow, EditRow, LineRow

_CASE, _LINE = re.compile(r"\bcase:(\d+)"), re.compile(r"\bline:\d+")
_MOVE = re.compile(r"\bmove:(\w+)")


@dataclass(frozen=True)
class LogEntry:
    """One gesture in the log.

    Parameters
    ----------
    subject : what it is about, see ``subjects``. is_back : it takes another one back or puts it back.
    """

    revision: int
    person: str
    made_at: str
    sentence: str
    subject: str = ""
    is_back: bool = False


@dataclass(frozen=True)
class Author:
    """Who last wrote something, and when: ISO 8601, UTC."""

    person: str
    made_at: str


@dataclass(frozen=True)
class Touched:
    """Something an edit was about, by the names of today; empty where it has gone or was about more.

    Parameters
    ----------
    members : of cells, those named. first, last : of cells, None is open.
    """

    case: str = ""
    line: str = ""
    members: MemberKey = ()
    first: Month | None = None
    last: Month | None = None
    move: str = ""


def touched_by(entry: LogEntry, rows: Rows) -> tuple[Touched, ...]:
    """Return what an edit was about."""
    cases = {str(case.id): case.name for case in rows.cases}
    found = []
    for text in entry.subject.splitlines():
        about = read_subject(text)
        if isinstance(about, Cells):
            line = rows.known_name(about.target) or ""
            named = sorted(about.members)
            known = [rows.get("member", member) for _, member in named]
            members = tuple(member.name for member in known if member is not None)
            found.append(Touched(cases.get(about.case_id, ""), line, members, about.first, about.last))
            continue
        case, line_id = _CASE.search(about), _LINE.search(about)
        line = (rows.known_name(line_id[0]) or "") if line_id else ""
        found.append(Touched(cases.get(case[1], "") if case else "", line, move=_move_named(about, rows)))
    return tuple(found)


def _move_named(subject: str, rows: Rows) -> str:
    """The move a subject speaks of, by its number or, where it was new, its name; empty for none."""
    found = _MOVE.search(subject)
    return next((row.name for row in rows.moves if found and found[1] in (str(row.id), row.name)), "")


@dataclass(frozen=True)
class Done:
    """An edit a person can take back or put back."""

    id: int
    subject: str
    sentence: str


@dataclass(frozen=True)
class Stacks:
    """A person's edits that can be taken back, and those that can be put back; the latest last."""

    undo: tuple[Done, ...] = ()
    redo: tuple[Done, ...] = ()

    def with_edit(self, done: Done, undoes: int | None = None, redoes: int | None = None) -> "Stacks":
        """Return the stacks after one more edit of the person."""
        rest = self.without(undoes if undoes is not None else redoes)
        if undoes is not None:
            return Stacks(rest.undo, (*rest.redo, *(one for one in self.undo if one.id == undoes)))
        if redoes is not None:
            return Stacks((*rest.undo, *(one for one in self.redo if one.id == redoes)), rest.redo)
        return Stacks((*self.undo, done), ())

    def without(self, edit_id: int | None) -> "Stacks":
        """Return the stacks without an edit: one that others have built upon is passed over."""
        return Stacks(*(tuple(one for one in stack if one.id != edit_id) for stack in (self.undo, self.redo)))


def entries(session: Session, model_id: int, limit: int) -> tuple[LogEntry, ...]:
    """Return the latest edits of a model, newest first."""
    query = select(EditRow).where(EditRow.model_id == model_id).order_by(col(EditRow.revision).desc())
    return tuple(_entry(row) for row in session.exec(query.limit(limit)).all())


def latest_on_line(session: Session, model_id: int, line: str) -> LogEntry | None:
    """Return the latest edit that touched a line of the user's own: its rule, formula, words or look."""
    query = (
        select(EditRow)
        .join(EditItemRow, col(EditItemRow.edit_id) == col(EditRow.id))
        .join(LineRow, col(LineRow.id) == col(EditItemRow.entity_id))
        .where(EditRow.model_id == model_id, EditItemRow.entity == "line", LineRow.name == line)
        .order_by(col(EditRow.revision).desc())
    )
    row = session.exec(query.limit(1)).first()
    return None if row is None else _entry(row)


def step_authors(session: Session, model_id: int) -> dict[tuple[str, int], Author]:
    """Return who last wrote each step of a case, by its table and id; steps that came with the model have none."""
    query = (
        select(EditItemRow.entity, EditItemRow.entity_id, EditRow.person, EditRow.made_at)
        .join(EditRow, col(EditItemRow.edit_id) == col(EditRow.id))
        .where(EditRow.model_id == model_id, col(EditItemRow.entity).in_(STEPS))
        .order_by(col(EditRow.revision))
    )
    return {(entity, row_id): Author(person, made_at) for entity, row_id, person, made_at in session.exec(query).all()}


def note_authors(session: Session, model_id: int) -> dict[int, Author]:
    """Return who last wrote a line's reason, by the line's id; those that came with the model have none."""
    query = (
        select(EditItemRow, EditRow)
        .join(EditRow, col(EditItemRow.edit_id) == col(EditRow.id))
        .where(EditRow.model_id == model_id, EditItemRow.entity == "line")
        .order_by(col(EditRow.revision))
    )
    found = {}
    for item, edit in session.exec(query).all():
        if (item.after or {}).get("note", "") != (item.before or {}).get("note", ""):
            found[item.entity_id] = Author(edit.person, edit.made_at)
    return found


def edits_since(session: Session, model_id: int, revision: int) -> list[EditRow]:
    """Return the edits after a revision, newest first."""
    query = select(EditRow).where(EditRow.model_id == model_id, col(EditRow.revision) > revision)
    return list(session.exec(query.order_by(col(EditRow.revision).desc())).all())


def stacks_of(session: Session, model_id: int, person: str) -> Stacks:
    """Return what a person can take back and put back."""
    query = select(EditRow).where(EditRow.model_id == model_id, EditRow.person == person)
    stacks = Stacks()
    for row in session.exec(query.order_by(col(EditRow.revision))).all():
        stacks = stacks.with_edit(Done(int(row.id or 0), row.subject, row.sentence), row.undoes, row.redoes)
    return stacks


def edit_at(session: Session, model_id: int, revision: int) -> EditRow | None:
    """Return the edit that made a revision; None where there is none."""
    query = select(EditRow).where(EditRow.model_id == model_id, EditRow.revision == revision)
    return session.exec(query).first()


def items_of(session: Session, edit_id: int) -> list[EditItemRow]:
    """Return what an edit did to each row, in order."""
    query = select(EditItemRow).where(EditItemRow.edit_id == edit_id).order_by(col(EditItemRow.id))
    return list(session.exec(query).all())


def latest_undo_of(session: Session, edit_id: int) -> int:
    """Return the id of the edit that last took another one back."""
    query = select(EditRow.id).where(EditRow.undoes == edit_id).order_by(col(EditRow.revision).desc())
    return int(session.exec(query.limit(1)).one() or 0)


def write_entry(session: Session, edit: Edit, person: str, revision: int, **links: int | None) -> tuple[int, str]:
    """Write an edit and what it did to each row; return its id, and when it was made."""
    made_at = datetime.now(UTC).isoformat(timespec="seconds")
    entry: dict[str, Any] = {"subject": edit.subject, "sentence": edit.sentence, "made_at": made_at, **links}
    row = EditRow(model_id=edit.model_id, revision=revision, person=person, **entry)
    session.add(row)
    session.flush()
    edit_id = int(row.id or 0)
    for item in edit.items:
        item.edit_id = edit_id
        session.add(item)
    session.flush()
    return edit_id, made_at


def _entry(row: EditRow) -> LogEntry:
    is_back = row.undoes is not None or row.redoes is not None
    return LogEntry(row.revision, row.person, row.made_at, row.sentence, row.subject, is_back)
