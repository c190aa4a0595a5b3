"""Ids and names of one model's rows: what is permanent, and what people call it today."""

from dataclasses import dataclass
from typing import Any

from sqlmodel import Session, col, select

from widefork.core.axes import Month
from widefork.core.errors import UnknownName
from widefork.core.finance.schedules import SCHEDULES, SettingKind
from widefork.core.finance.settlement import SETTLED
from widefork.core.finance.statements import CAPTION_BY_NAME
from widefork.core.lines import MemberKey
from widefork.store.tables import (
    CaseRow,
    ClosingRow,
    DimensionRow,
    FigureRow,
    FlagRow,
    LimitRow,
    LineRow,
    MemberRow,
    MoveRow,
    ProfileRow,
    ScheduleRow,
    SectionRow,
)

_SETTLED = f"{SETTLED}_"
"""Begins the name of a settlement; its target says whose it is, so that it follows when that is renamed."""


@dataclass(frozen=True)
class Target:
    """What a change or figure is about: a line by id, a schedule's part, or a caption (part alone)."""

    line_id: int | None = None
    schedule_id: int | None = None
    part: str | None = None

    @classmethod
    def of_key(cls, key: str) -> "Target":
        """Return the target a text made by ``key`` speaks of."""
        kind, _, rest = key.partition(":")
        if kind == "line":
            return cls(line_id=int(rest))
        if kind == "schedule":
            owner, _, part = rest.partition(":")
            return cls(schedule_id=int(owner), part=part)
        return cls(part=rest)

    @property
    def key(self) -> str:
        """The target as text, for the log's subjects and for documents."""
        if self.line_id is not None:
            return f"line:{self.line_id}"
        return f"schedule:{self.schedule_id}:{self.part}" if self.schedule_id is not None else f"caption:{self.part}"


class Names:
    """Ids and names of one model's rows, read once in a transaction."""

    def __init__(self, session: Session, model_id: int) -> None:
        self.session, self.model_id = session, model_id
        self.dimensions: list[DimensionRow] = _rows(session, DimensionRow, model_id)
        ids = [row.id for row in self.dimensions]
        members = select(MemberRow).where(col(MemberRow.dimension_id).in_(ids))
        self.members = sorted(session.exec(members).all(), key=lambda row: (row.dimension_id, row.position))
        self.sections: list[SectionRow] = _rows(session, SectionRow, model_id)
        self.lines: list[LineRow] = _rows(session, LineRow, model_id)
        self.schedules: list[ScheduleRow] = _rows(session, ScheduleRow, model_id)
        self.cases: list[CaseRow] = _rows(session, CaseRow, model_id)
        self.moves: list[MoveRow] = _rows(session, MoveRow, model_id)
        self.profiles: list[ProfileRow] = _rows(session, ProfileRow, model_id)
        self.flags: list[FlagRow] = _rows(session, FlagRow, model_id)
        self.figures: list[FigureRow] = _rows(session, FigureRow, model_id)
        self.limits: list[LimitRow] = _rows(session, LimitRow, model_id)
        closed = select(ClosingRow).where(ClosingRow.model_id == model_id).order_by(ClosingRow.month)
        self.closings: list[ClosingRow] = list(session.exec(closed).all())

    def member_id(self, dimension: str, member: str) -> int:
        """Return a member's id."""
        dimension_id = next(row.id for row in self.dimensions if row.name == dimension)
        for row in self.members:
            if row.dimension_id == dimension_id and row.name == member:
                return int(row.id or 0)
        raise UnknownName(f"member of {dimension}", member, [m.name for m in self.members])

    def member(self, member_id: int) -> tuple[str, str]:
        """Return (dimension, member) names."""
        row = next(m for m in self.members if m.id == member_id)
        return next(d.name for d in self.dimensions if d.id == row.dimension_id), row.name

    def key_ids(self, dimensions: tuple[str, ...], key: MemberKey) -> list[int]:
        """Return the ids of a member key."""
        return [self.member_id(dimension, member) for dimension, member in zip(dimensions, key, strict=False)]

    def target(self, name: str) -> Target:
        """Return the permanent target of a line's name; generated lines belong to their schedule."""
        for line in self.lines:
            if line.name == name:
                return Target(line_id=line.id)
        if name in CAPTION_BY_NAME:
            return Target(part=name)
        if name.startswith(_SETTLED):
            settled = self.target(name.removeprefix(_SETTLED))
            return Target(part=_SETTLED + settled.key)
        for schedule in sorted(self.schedules, key=lambda row: -len(row.name)):
            if name.startswith(f"{schedule.name}_"):
                return Target(schedule_id=schedule.id, part=name.removeprefix(f"{schedule.name}_"))
        return Target(part=name)

    def name_of(self, target: Target) -> str:
        """Return the present name of a target's line."""
        if target.line_id is not None:
            return str(next(line.name for line in self.lines if line.id == target.line_id))
        if target.schedule_id is not None:
            owner = next(row.name for row in self.schedules if row.id == target.schedule_id)
            return f"{owner}_{target.part}"
        settled = str(target.part).removeprefix(_SETTLED)
        if settled == target.part:
            return settled
        kind, *parts = settled.split(":")
        if kind == "line":
            return _SETTLED + self.name_of(Target(line_id=int(parts[0])))
        if kind == "caption":  # a settlement of something that was never there
            return _SETTLED + parts[0]
        return _SETTLED + self.name_of(Target(schedule_id=int(parts[0]), part=parts[1]))

    def known_name(self, key: str) -> str | None:
        """Return the present name of what a target's key speaks of; None where it has gone."""
        try:
            return self.name_of(Target.of_key(key))
        except StopIteration:
            return None

    def case(self, name: str) -> CaseRow:
        """Return a case's row."""
        for row in self.cases:
            if row.name == name:
                return row
        raise UnknownName("case", name, [row.name for row in self.cases])


def _rows(session: Session, table: Any, model_id: int) -> list[Any]:
    return list(session.exec(select(table).where(table.model_id == model_id).order_by(table.position)).all())


def month_of(text: str | None) -> Month | None:
    """Return the month a row's text names; None for none."""
    return Month.parse(text) if text else None


def text_of(month: Month | None) -> str | None:
    """Return a month as a row's text; None for none."""
    return str(month) if month is not None else None


def line_settings(kind: str) -> set[str]:
    """Return the settings of a kind of schedule that name lines, which are stored by id."""
    if kind not in SCHEDULES:
        return set()
    return {setting.key for setting in SCHEDULES[kind].settings if setting.kind is SettingKind.LINES}
