"""Core objects to rows and back: names to permanent ids when storing, ids to names when loading."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from sqlmodel import Session, col, select

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.changes import Case, Change, Move, Operation, Switch
from widefork.core.errors import UnknownName
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.core.finance.schedules import SCHEDULES, SettingKind
from widefork.core.graph.model import Model, Profile, ScheduleSettings
from widefork.core.lines import Line, MemberKey, OverMembers, OverTime, Rollup, Section
from widefork.core.rules import RULES, read_rule, write_rule
from widefork.store.tables import (
    CaseRow,
    ChangeRow,
    DimensionRow,
    FigureRow,
    LineRow,
    MemberRow,
    ModelRow,
    MoveRow,
    ProfileRow,
    ScheduleRow,
    SectionRow,
)


@dataclass(frozen=True)
class Target:
    """What a change or figure is about: a line by id, a schedule's part, or a caption (part alone)."""

    line_id: int | None = None
    schedule_id: int | None = None
    part: str | None = None

    @property
    def key(self) -> str:
        """The target as text, for the log's subjects."""
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
        self.figures: list[FigureRow] = _rows(session, FigureRow, model_id)

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
        return str(target.part)

    def case(self, name: str) -> CaseRow:
        """Return a case's row."""
        for row in self.cases:
            if row.name == name:
                return row
        raise UnknownName("case", name, [row.name for row in self.cases])


def _rows(session: Session, table: Any, model_id: int) -> list[Any]:
    return list(session.exec(select(table).where(table.model_id == model_id).order_by(table.position)).all())


def _month(text: str | None) -> Month | None:
    return Month.parse(text) if text else None


def _text(month: Month | None) -> str | None:
    return str(month) if month is not None else None


# Loading


def load_model(session: Session, model_id: int) -> Model:
    """Return a stored model as the core knows it."""
    row = session.get(ModelRow, model_id)
    if row is None:
        raise UnknownName("model", str(model_id), [])
    names = Names(session, model_id)
    return Model(
        name=row.name,
        currency=row.currency,
        timeline=Timeline(Month.parse(row.start), row.month_count, row.fiscal_year_start, _month(row.last_actual)),
        dimensions=tuple(
            Dimension(
                d.name,
                tuple(m.name for m in names.members if m.dimension_id == d.id),
                d.label,
                {m.name: m.attributes for m in names.members if m.dimension_id == d.id and m.attributes},
            )
            for d in names.dimensions
        ),
        sections=tuple(Section(s.name, s.label, s.note) for s in names.sections),
        lines=tuple(_line(line, names) for line in names.lines),
        profiles=tuple(Profile(p.name, p.label, tuple(p.amounts)) for p in names.profiles),
        schedules=tuple(
            ScheduleSettings(s.kind, s.name, s.label, _settings_in_names(s.kind, s.settings, names))
            for s in names.schedules
        ),
        opening_balances=row.opening_balances,
        cases=tuple(_case(case, names) for case in names.cases),
        figures=tuple(_figure(figure, names) for figure in names.figures),
        moves=tuple(
            Move(m.name, m.label, Month.parse(m.start), _changes(names, ChangeRow.move_id, m.id), m.note)
            for m in names.moves
        ),
    )


def _key(ids: Iterable[int], names: Names) -> MemberKey:
    return tuple(names.member(member_id)[1] for member_id in ids)


def _line(row: LineRow, names: Names) -> Line:
    dimensions = {d.id: d.name for d in names.dimensions}
    rollup = row.rollup
    return Line(
        row.name,
        row.label,
        row.unit,
        next(s.name for s in names.sections if s.id == row.section_id),
        tuple(dimensions[dimension_id] for dimension_id in row.dimensions),
        row.formula,
        {_key(entry["members"], names): read_rule(RULES, entry["rule"]) for entry in row.rules},
        Rollup(OverTime(rollup["time"]), OverMembers(rollup["members"]), rollup["numerator"], rollup["denominator"]),
        row.opening,
        tuple(row.history),
        {_key(entry["members"], names): tuple(entry["values"]) for entry in row.actuals},
        row.posts_to,
        row.note,
        allow_loop=row.allow_loop,
    )


def _settings_in_names(kind: str, settings: dict[str, Any], names: Names) -> dict[str, Any]:
    by_id = {line.id: line.name for line in names.lines}
    return {
        key: [by_id[line_id] for line_id in value] if key in _line_settings(kind) else value
        for key, value in settings.items()
    }


def _line_settings(kind: str) -> set[str]:
    if kind not in SCHEDULES:
        return set()
    return {setting.key for setting in SCHEDULES[kind].settings if setting.kind is SettingKind.LINES}


def _case(row: CaseRow, names: Names) -> Case:
    parent = next((c.name for c in names.cases if c.id == row.parent_id), None)
    moves = {move.id: move.name for move in names.moves}
    return Case(
        row.name,
        row.label,
        parent,
        _changes(names, ChangeRow.case_id, row.id),
        row.note,
        tuple(Switch(moves[s["move"]], _month(s["start"]), s["strength"]) for s in row.moves),
        tuple(moves[move_id] for move_id in row.drops),
    )


def _changes(names: Names, holder: Any, holder_id: int | None) -> tuple[Change, ...]:
    query = select(ChangeRow).where(holder == holder_id).order_by(col(ChangeRow.position))
    return tuple(change_of(change, names) for change in names.session.exec(query).all())


def change_of(row: ChangeRow, names: Names) -> Change:
    """Return a stored change in names."""
    return Change(
        names.name_of(Target(row.line_id, row.schedule_id, row.part)),
        Operation(row.operation),
        row.amount,
        tuple(names.member(member_id) for member_id in row.members),
        _month(row.first),
        _month(row.last),
        row.note,
        row.catch_up_months,
        row.strength,
    )


def _figure(row: FigureRow, names: Names) -> Figure:
    return Figure(
        row.name,
        row.label,
        names.name_of(Target(row.line_id, row.schedule_id, row.part)),
        _key(row.members, names),
        _month(row.first),
        _month(row.last),
        Reduction(row.reduction),
        Comparison(row.comparison),
        row.threshold,
        row.is_pinned,
    )


# Storing


def store_model(session: Session, model: Model) -> ModelRow:
    """Write a new model's rows; return its frame."""
    timeline = model.timeline
    frame = ModelRow(
        name=model.name,
        currency=model.currency,
        start=str(timeline.start),
        month_count=timeline.month_count,
        fiscal_year_start=timeline.fiscal_year_start,
        last_actual=_text(timeline.last_actual),
        opening_balances=dict(model.opening_balances),
    )
    session.add(frame)
    session.flush()
    model_id = int(frame.id or 0)
    for place, dimension in enumerate(model.dimensions):
        dimension_row = DimensionRow(model_id=model_id, position=place, name=dimension.name, label=dimension.label)
        session.add(dimension_row)
        session.flush()
        for order, member in enumerate(dimension.members):
            known = dict(dimension.attributes.get(member, {}))
            session.add(
                MemberRow(dimension_id=int(dimension_row.id or 0), position=order, name=member, attributes=known)
            )
    for place, section in enumerate(model.sections):
        session.add(
            SectionRow(model_id=model_id, position=place, name=section.name, label=section.label, note=section.note)
        )
    for place, profile in enumerate(model.profiles):
        session.add(
            ProfileRow(
                model_id=model_id, position=place, name=profile.name, label=profile.label, amounts=list(profile.values)
            )
        )
    session.flush()
    names = Names(session, model_id)
    for place, line in enumerate(model.lines):
        session.add(line_row(line, place, model_id, names))
    session.flush()
    names = Names(session, model_id)
    line_ids = {line.name: line.id for line in names.lines}
    for place, schedule in enumerate(model.schedules):
        lists = _line_settings(schedule.kind)
        settings = {k: [line_ids[name] for name in v] if k in lists else v for k, v in schedule.settings.items()}
        session.add(
            ScheduleRow(
                model_id=model_id,
                position=place,
                kind=schedule.kind,
                name=schedule.name,
                label=schedule.label,
                settings=settings,
            )
        )
    session.flush()
    names = Names(session, model_id)
    _store_moves(session, model, names)
    move_ids = {move.name: int(move.id or 0) for move in names.moves}
    for place, case in enumerate(model.cases):
        parent = names.case(case.parent).id if case.parent else None
        case_row = CaseRow(
            model_id=model_id,
            parent_id=parent,
            position=place,
            name=case.name,
            label=case.label,
            note=case.note,
            moves=[{"move": move_ids[s.move], "start": _text(s.start), "strength": s.strength} for s in case.moves],
            drops=[move_ids[name] for name in case.drops],
        )
        session.add(case_row)
        session.flush()
        names.cases.append(case_row)
        for order, change in enumerate(case.changes):
            session.add(change_row(change, order, names, case_id=case_row.id))
    for place, figure in enumerate(model.figures):
        session.add(figure_row(figure, place, model, names))
    session.flush()
    return frame


def _store_moves(session: Session, model: Model, names: Names) -> None:
    for place, move in enumerate(model.moves):
        row = MoveRow(
            model_id=names.model_id,
            position=place,
            name=move.name,
            label=move.label,
            start=str(move.start),
            note=move.note,
        )
        session.add(row)
        session.flush()
        names.moves.append(row)
        for order, change in enumerate(move.changes):
            session.add(change_row(change, order, names, move_id=row.id))


def line_row(line: Line, position: int, model_id: int, names: Names) -> LineRow:
    """Return the row of a line."""
    dimensions = {d.name: int(d.id or 0) for d in names.dimensions}
    return LineRow(
        model_id=model_id,
        section_id=next(int(s.id or 0) for s in names.sections if s.name == line.section),
        position=position,
        name=line.name,
        label=line.label,
        unit=line.unit,
        dimensions=[dimensions[name] for name in line.dimensions],
        formula=line.formula,
        rules=[
            {"members": names.key_ids(line.dimensions, key), "rule": write_rule(RULES, rule)}
            for key, rule in line.rules.items()
        ],
        rollup={
            "time": line.rollup.over_time.value,
            "members": line.rollup.over_members.value,
            "numerator": line.rollup.numerator,
            "denominator": line.rollup.denominator,
        },
        opening=line.opening,
        history=list(line.history),
        actuals=[
            {"members": names.key_ids(line.dimensions, key), "values": list(values)}
            for key, values in line.actuals.items()
        ],
        posts_to=line.posts_to,
        note=line.note,
        allow_loop=line.allow_loop,
    )


def change_row(
    change: Change, position: int, names: Names, case_id: int | None = None, move_id: int | None = None
) -> ChangeRow:
    """Return the row of a change of a case or of a move."""
    target = names.target(change.line)
    return ChangeRow(
        case_id=case_id,
        move_id=move_id,
        position=position,
        line_id=target.line_id,
        schedule_id=target.schedule_id,
        part=target.part,
        operation=change.operation.value,
        amount=change.amount,
        members=[names.member_id(dimension, member) for dimension, member in change.members],
        first=_text(change.first),
        last=_text(change.last),
        note=change.note,
        catch_up_months=change.catch_up_months,
        strength=change.strength,
    )


def figure_row(figure: Figure, position: int, model: Model, names: Names) -> FigureRow:
    """Return the row of a figure."""
    target = names.target(figure.line)
    line = model.line_by_name.get(figure.line)
    return FigureRow(
        model_id=names.model_id,
        position=position,
        name=figure.name,
        label=figure.label,
        line_id=target.line_id,
        schedule_id=target.schedule_id,
        part=target.part,
        members=names.key_ids(line.dimensions if line else (), figure.members),
        first=_text(figure.first),
        last=_text(figure.last),
        reduction=figure.reduction.value,
        comparison=figure.comparison.value,
        threshold=figure.threshold,
        is_pinned=figure.is_pinned,
    )
