"""Rows to core objects: ids become names."""

from collections.abc import Iterable
from typing import Any

from sqlmodel import Session, col, select

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.changes import Case, Change, Move, Operation, Switch
from widefork.core.closing import NOT_GIVEN, Closing
from widefork.core.errors import UnknownName
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.core.flags import Flag
from widefork.core.graph.model import Limit, Model, OwnRow, Profile, Rhythm, ScheduleSettings, StatementSettings
from widefork.core.lines import Line, MemberKey, OverMembers, OverTime, Rollup, Section
from widefork.core.liquidity import DayRule, Liquidity
from widefork.core.look import Emphasis, Look, PlausibleRange, Scale, Tint
from widefork.core.rules import RULES, read_rule
from widefork.store.names import Names, Target, line_settings, month_of
from widefork.store.tables import (
    CaseRow,
    ChangeRow,
    ClosingRow,
    FigureRow,
    LimitRow,
    LineRow,
    ModelRow,
)


def load_model(session: Session, model_id: int) -> Model:
    """Return a stored model as the core knows it."""
    row = session.get(ModelRow, model_id)
    if row is None:
        raise UnknownName("model", str(model_id), [])
    names = Names(session, model_id)
    return Model(
        name=row.name,
        currency=row.currency,
        timeline=Timeline(Month.parse(row.start), row.month_count, row.fiscal_year_start, month_of(row.last_actual)),
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
        statements=statements_of(row.statements),
        limits=tuple(_limit(limit, names) for limit in names.limits),
        liquidity=_liquidity(row.liquidity, names),
        not_ours=tuple(row.not_ours),
        closings=tuple(closing_of(closing, names) for closing in names.closings),
        cases=tuple(_case(case, names) for case in names.cases),
        figures=tuple(_figure(figure, names) for figure in names.figures),
        moves=tuple(
            Move(m.name, m.label, Month.parse(m.start), _changes(names, ChangeRow.move_id, m.id), m.note)
            for m in names.moves
        ),
        flags=tuple(
            Flag(f.name, f.label, month_of(f.first), month_of(f.last), tuple(f.months_of_year), f.counts, f.note)
            for f in names.flags
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
        {_key(entry["members"], names): with_gaps(entry["values"]) for entry in row.actuals},
        row.posts_to,
        row.note,
        allow_loop=row.allow_loop,
        is_fixed=row.is_fixed,
        absent=tuple(_key(ids, names) for ids in row.absent),
        look=_look(row.look),
        plausible=PlausibleRange(**row.plausible) if row.plausible else None,
    )


def _look(known: dict[str, Any]) -> Look:
    scale, emphasis, tint = known.get("scale"), known.get("emphasis"), known.get("tint")
    return Look(
        known.get("decimals"),
        Scale(scale) if scale else None,
        Emphasis(emphasis) if emphasis else None,
        Tint(tint) if tint else None,
        known.get("space_above", False),
    )


def _settings_in_names(kind: str, settings: dict[str, Any], names: Names) -> dict[str, Any]:
    by_id = {line.id: line.name for line in names.lines}
    return {
        key: [by_id[line_id] for line_id in value] if key in line_settings(kind) else value
        for key, value in settings.items()
    }


def _case(row: CaseRow, names: Names) -> Case:
    parent = next((c.name for c in names.cases if c.id == row.parent_id), None)
    moves = {move.id: move.name for move in names.moves}
    return Case(
        row.name,
        row.label,
        parent,
        _changes(names, ChangeRow.case_id, row.id),
        row.note,
        tuple(Switch(moves[s["move"]], month_of(s["start"]), s["strength"]) for s in row.moves),
        tuple(name for drop in row.drops if (name := _dropped(drop, moves, names)) is not None),
    )


def _dropped(drop: Any, moves: dict[int | None, str], names: Names) -> str | None:
    """What a case drops, by name; None where it has gone since, and there is nothing left to drop."""
    if not isinstance(drop, dict):
        return moves.get(drop)
    change = names.session.get(ChangeRow, drop["change"])
    return None if change is None else change.name


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
        month_of(row.first),
        month_of(row.last),
        row.note,
        row.catch_up_months,
        row.strength,
        row.name,
    )


def statements_of(document: dict[str, Any]) -> StatementSettings:
    """Return how the statements are laid out, from what the model's row keeps."""
    return StatementSettings(
        document.get("layout", "classic"),
        document.get("labels", {}),
        tuple(OwnRow(**row) for row in document.get("rows", ())),
        tuple(document.get("order", ())),
    )


def _limit(row: LimitRow, names: Names) -> Limit:
    return Limit(
        row.name,
        row.label,
        names.name_of(Target(row.line_id, row.schedule_id, row.part)),
        row.least,
        row.most,
        Rhythm(row.tested),
        month_of(row.first),
        row.is_covenant,
        row.note,
    )


def with_gaps(amounts: Iterable[float | None]) -> tuple[float, ...]:
    """Return actuals with what is not known as NaN."""
    return tuple(NOT_GIVEN if amount is None else amount for amount in amounts)


def closing_of(row: ClosingRow, names: Names) -> Closing:
    """Return a month closed, in names; what has gone since is left out."""
    schedules = {str(schedule.id): schedule.name for schedule in names.schedules}
    figures = {name: amount for key, amount in row.figures.items() if (name := names.known_name(key))}
    notes = {name: note for key, note in row.notes.items() if (name := names.known_name(key))}
    ages = {schedules[key]: tuple(amounts) for key, amounts in row.ages.items() if key in schedules}
    return Closing(Month.parse(row.month), figures, ages, notes)


def _liquidity(document: dict[str, Any], names: Names) -> Liquidity:
    schedules = {schedule.id: schedule.name for schedule in names.schedules}
    known = {names.known_name(key): DayRule.parse(text) for key, text in document.get("days", {}).items()}
    level = document.get("level")
    return Liquidity(
        read_rule(RULES, level) if level is not None else None,
        {name: rule for name, rule in known.items() if name is not None},
        tuple(schedules[key] for key in document.get("under_way", ()) if key in schedules),
    )


def _figure(row: FigureRow, names: Names) -> Figure:
    return Figure(
        row.name,
        row.label,
        names.name_of(Target(row.line_id, row.schedule_id, row.part)),
        _key(row.members, names),
        month_of(row.first),
        month_of(row.last),
        Reduction(row.reduction),
        Comparison(row.comparison),
        row.threshold,
        row.is_pinned,
    )
