"""All rows of one model in memory, with the ids and names they go by: what is permanent, and what people call it today.

The rows of a model that is open are changed by one edit at a time, under the model's turn; nobody else reads them.
"""

import json
from collections.abc import Callable, Iterable
from typing import Any, TypeVar

from sqlmodel import Session, SQLModel, col, select

from widefork.core.errors import UnknownName
from widefork.core.finance.statements import CAPTION_BY_NAME
from widefork.core.lines import MemberKey
from widefork.store.tables import (
    CaseRow,
    ChangeRow,
    ClosingRow,
    DimensionRow,
    FigureRow,
    FlagRow,
    HistoryRow,
    LimitRow,
    LineRow,
    MemberRow,
    ModelRow,
    MoveRow,
    NoteRow,
    ProfileRow,
    ScheduleRow,
    SectionRow,
    SwitchRow,
)
from widefork.store.targets import SETTLED_PREFIX, Target

Row = Any
Found = TypeVar("Found")
OF_MODEL: tuple[type[SQLModel], ...] = (
    DimensionRow, SectionRow, LineRow, ScheduleRow, CaseRow, MoveRow, ProfileRow, FlagRow, FigureRow, LimitRow,
    ClosingRow, HistoryRow, NoteRow,
)  # fmt: skip
"""Tables whose rows name their model; members and changes belong to rows of these."""

WRITTEN = ("dimension", "member", "section", "profile", "flag", "line", "schedule", "move", "case", "switch", "change",
           "figure", "limit", "closing", "history", "note")  # fmt: skip
"""Tables in an order in which every row stands behind those it refers to."""


class Rows:
    """The rows of one model.

    Parameters
    ----------
    frame : the model's own row. rows : all others, of any table.
    """

    def __init__(self, frame: ModelRow, rows: Iterable[Row]) -> None:
        self.frame = frame
        self._by_table: dict[str, dict[int, Row]] = {}
        self._kept: dict[str, Any] = {}
        for row in rows:
            self._by_table.setdefault(row.__tablename__, {})[row.id] = row

    @classmethod
    def read(cls, session: Session, model_id: int) -> "Rows":
        """Return a model's rows as stored, free of the session; raise UnknownName."""
        frame = session.get(ModelRow, model_id)
        if frame is None:
            known = [str(row) for row in session.exec(select(ModelRow.id)).all()]
            raise UnknownName("model", str(model_id), known)
        found: list[Row] = []
        for table in OF_MODEL:
            owner: Any = table
            found += session.exec(select(owner).where(owner.model_id == model_id)).all()
        ids = _ids(found, "dimension")
        found += session.exec(select(MemberRow).where(col(MemberRow.dimension_id).in_(ids))).all()
        held = col(ChangeRow.case_id).in_(_ids(found, "case")) | col(ChangeRow.move_id).in_(_ids(found, "move"))
        found += session.exec(select(ChangeRow).where(held)).all()
        found += session.exec(select(SwitchRow).where(col(SwitchRow.case_id).in_(_ids(found, "case")))).all()
        for row in (frame, *found):
            session.expunge(row)
        return cls(frame, found)

    @property
    def model_id(self) -> int:
        """The model's id."""
        return int(self.frame.id or 0)

    def get(self, table: str, row_id: int) -> Row | None:
        """Return a row by its id; None where there is none."""
        return self.frame if table == "model" else self._by_table.get(table, {}).get(row_id)

    def all(self) -> list[Row]:
        """Return every row but the model's own, each behind those it refers to."""
        return [row for table in WRITTEN for row in self._parents_first(table)]

    def _parents_first(self, table: str) -> list[Row]:
        rows = list(self._by_table.get(table, {}).values())
        if table != "case":
            return rows

        def depth(row: CaseRow) -> int:
            return 0 if row.parent_id is None else 1 + depth(self.needed("case", row.parent_id))

        return sorted(rows, key=depth)

    def needed(self, table: str, row_id: int) -> Row:
        """Return a row by its id; raise KeyError where it has gone."""
        return self._by_table[table][row_id]

    def put(self, row: Row) -> None:
        """Take a row in, or note that one was changed."""
        if not isinstance(row, ModelRow):
            self._by_table.setdefault(row.__tablename__, {})[row.id] = row
        self._kept.clear()

    def drop(self, row: Row) -> None:
        """Let a row go."""
        del self._by_table[row.__tablename__][row.id]
        self._kept.clear()

    def _once(self, what: str, make: Callable[[], Found]) -> Found:
        """What was worked out since the last change of any row."""
        if what not in self._kept:
            self._kept[what] = make()
        found: Found = self._kept[what]
        return found

    def _listed(self, table: str) -> list[Any]:
        rows = self._once(table, lambda: sorted(self._by_table.get(table, {}).values(), key=lambda row: row.position))
        return list(rows)

    @property
    def dimensions(self) -> list[DimensionRow]:
        """Dimensions in order."""
        return self._listed("dimension")

    @property
    def members(self) -> list[MemberRow]:
        """Members by dimension, each dimension's in order."""

        def sort() -> list[MemberRow]:
            return sorted(self._by_table.get("member", {}).values(), key=lambda row: (row.dimension_id, row.position))

        return list(self._once("member", sort))

    @property
    def sections(self) -> list[SectionRow]:
        """Sections in order."""
        return self._listed("section")

    @property
    def lines(self) -> list[LineRow]:
        """Lines in order."""
        return self._listed("line")

    @property
    def schedules(self) -> list[ScheduleRow]:
        """Schedules in order."""
        return self._listed("schedule")

    @property
    def cases(self) -> list[CaseRow]:
        """Cases in order."""
        return self._listed("case")

    @property
    def moves(self) -> list[MoveRow]:
        """Moves in order."""
        return self._listed("move")

    @property
    def profiles(self) -> list[ProfileRow]:
        """Profiles in order."""
        return self._listed("profile")

    @property
    def flags(self) -> list[FlagRow]:
        """Flags in order."""
        return self._listed("flag")

    @property
    def figures(self) -> list[FigureRow]:
        """Figures in order."""
        return self._listed("figure")

    @property
    def limits(self) -> list[LimitRow]:
        """Limits in order."""
        return self._listed("limit")

    @property
    def histories(self) -> list[HistoryRow]:
        """What happened, in order."""
        return self._listed("history")

    @property
    def closings(self) -> list[ClosingRow]:
        """Months closed, in order of the calendar."""
        return sorted(self._by_table.get("closing", {}).values(), key=lambda row: row.month)

    @property
    def changes(self) -> list[ChangeRow]:
        """All changes of cases and moves, those of each holder in order."""
        return self._listed("change")

    def changes_of_case(self, case_id: int | None) -> list[ChangeRow]:
        """Return a case's changes in order."""
        return list(self._by_holder().get(("case", case_id), ()))

    def steps_of_case(self, case_id: int | None) -> list[ChangeRow | SwitchRow]:
        """Return a case's changes and the moves it switches on, in the one order they apply."""
        own: list[ChangeRow | SwitchRow] = [*self.changes_of_case(case_id), *self.switches_of_case(case_id)]
        return sorted(own, key=lambda row: row.position)

    def switches_of_case(self, case_id: int | None) -> list[SwitchRow]:
        """Return the moves a case switches on itself, in order."""
        return [row for row in self._listed("switch") if row.case_id == case_id]

    def standing_switch(self, case: CaseRow, move_id: int | None) -> SwitchRow | None:
        """Return the step by which a move is on in a case; None where it is not on.

        One that gives an inherited move another start or strength is no step of its own: it is the inherited one.
        """
        parent = None if case.parent_id is None else self.needed("case", case.parent_id)
        standing = None if parent is None else self.standing_switch(parent, move_id)
        if standing is not None and {"switch": standing.id} in case.drops:
            standing = None
        rivals = self._rivals(move_id)
        for own in self.switches_of_case(case.id):
            if own.move_id in rivals:
                standing = None
            elif own.move_id == move_id:
                standing = standing or own
        return standing

    def _rivals(self, move_id: int | None) -> set[int | None]:
        """The other moves of a group that exclude one another."""
        group = self.needed("move", int(move_id or 0)).one_of
        return {row.id for row in self.moves if group and row.one_of == group and row.id != move_id}

    def changes_of_move(self, move_id: int | None) -> list[ChangeRow]:
        """Return a move's changes in order."""
        return list(self._by_holder().get(("move", move_id), ()))

    def _by_holder(self) -> dict[tuple[str, int | None], list[ChangeRow]]:
        def sort() -> dict[tuple[str, int | None], list[ChangeRow]]:
            held: dict[tuple[str, int | None], list[ChangeRow]] = {}
            for row in self.changes:
                owner = ("case", row.case_id) if row.case_id is not None else ("move", row.move_id)
                held.setdefault(owner, []).append(row)
            return held

        return self._once("by holder", sort)

    def member_id(self, dimension: str, member: str) -> int:
        """Return a member's id; raise UnknownName."""

        def by_name() -> dict[tuple[str, str], int]:
            owners = self._dimension_names()
            return {(owners[row.dimension_id], row.name): int(row.id or 0) for row in self.members}

        found = self._once("member ids", by_name).get((dimension, member))
        if found is None:
            raise UnknownName(f"member of {dimension}", member, [m.name for m in self.members])
        return found

    def _dimension_names(self) -> dict[int | None, str]:
        return self._once("dimension names", lambda: {row.id: row.name for row in self.dimensions})

    def member(self, member_id: int) -> tuple[str, str]:
        """Return (dimension, member) names; raise KeyError where it has gone."""
        row = self._by_table["member"][member_id]
        return self._dimension_names()[row.dimension_id], row.name

    def key_ids(self, dimensions: tuple[str, ...], key: MemberKey) -> list[int]:
        """Return the ids of a member key."""
        return [self.member_id(dimension, member) for dimension, member in zip(dimensions, key, strict=False)]

    def target(self, name: str) -> Target:
        """Return the permanent target of a line's name; generated lines belong to their schedule."""
        line_ids = self._once("line ids", lambda: {row.name: row.id for row in self.lines})
        if name in line_ids:
            return Target(line_id=line_ids[name])
        if name in CAPTION_BY_NAME:
            return Target(part=name)
        if name.startswith(SETTLED_PREFIX):
            settled = self.target(name.removeprefix(SETTLED_PREFIX))
            return Target(part=SETTLED_PREFIX + settled.key)
        for schedule in sorted(self.schedules, key=lambda row: -len(row.name)):
            if name.startswith(f"{schedule.name}_"):
                return Target(schedule_id=schedule.id, part=name.removeprefix(f"{schedule.name}_"))
        return Target(part=name)

    def name_of(self, target: Target) -> str:
        """Return the present name of a target's line; raise KeyError where it has gone."""
        if target.line_id is not None:
            return str(self._by_table["line"][target.line_id].name)
        if target.schedule_id is not None:
            return f"{self._by_table['schedule'][target.schedule_id].name}_{target.part}"
        settled = str(target.part).removeprefix(SETTLED_PREFIX)
        if settled == target.part:
            return settled
        kind, *parts = settled.split(":")
        if kind == "line":
            return SETTLED_PREFIX + self.name_of(Target(line_id=int(parts[0])))
        if kind == "caption":  # a settlement of something that was never there
            return SETTLED_PREFIX + parts[0]
        return SETTLED_PREFIX + self.name_of(Target(schedule_id=int(parts[0]), part=parts[1]))

    def known_name(self, key: str) -> str | None:
        """Return the present name of what a target's key speaks of; None where it has gone."""
        try:
            return self.name_of(Target.of_key(key))
        except KeyError:
            return None

    def case(self, name: str) -> CaseRow:
        """Return a case's row; raise UnknownName."""
        for row in self.cases:
            if row.name == name:
                return row
        raise UnknownName("case", name, [row.name for row in self.cases])


def _ids(rows: Iterable[Row], table: str) -> list[int]:
    return [int(row.id or 0) for row in rows if row.__tablename__ == table]


def document_of(row: Row) -> dict[str, Any]:
    """Return a row as the log keeps it; the count of edits is the log's own."""
    document: dict[str, Any] = row.model_dump()
    if isinstance(row, ModelRow):
        document.pop("revision")
    return document


def as_stored(value: Any) -> Any:
    """Return a document as it will be read back: lists for tuples, texts for keys."""
    return json.loads(json.dumps(value)) if isinstance(value, dict | list | tuple) else value
