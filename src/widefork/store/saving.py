"""Core objects to rows: names become permanent ids."""

from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

from sqlmodel import Session

from widefork.core.changes import Change
from widefork.core.closing import Closing
from widefork.core.figures import Figure
from widefork.core.graph.model import Limit, Model, StatementSettings
from widefork.core.lines import Line
from widefork.core.liquidity import Liquidity
from widefork.core.look import Look, PlausibleRange
from widefork.core.rules import RULES, write_rule
from widefork.store.names import Names, line_settings, text_of
from widefork.store.tables import (
    CaseRow,
    ChangeRow,
    ClosingRow,
    DimensionRow,
    FigureRow,
    FlagRow,
    LimitRow,
    LineRow,
    MemberRow,
    ModelRow,
    MoveRow,
    ProfileRow,
    ScheduleRow,
    SectionRow,
)


def store_model(session: Session, model: Model) -> ModelRow:
    """Write a new model's rows; return its frame."""
    timeline = model.timeline
    frame = ModelRow(
        name=model.name,
        currency=model.currency,
        start=str(timeline.start),
        month_count=timeline.month_count,
        fiscal_year_start=timeline.fiscal_year_start,
        last_actual=text_of(timeline.last_actual),
        opening_balances=dict(model.opening_balances),
        statements=statements_document(model.statements),
        not_ours=list(model.not_ours),
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
    for place, flag in enumerate(model.flags):
        session.add(
            FlagRow(
                model_id=model_id,
                position=place,
                name=flag.name,
                label=flag.label,
                first=text_of(flag.first),
                last=text_of(flag.last),
                months_of_year=list(flag.months_of_year),
                counts=flag.counts,
                note=flag.note,
            )
        )
    session.flush()
    names = Names(session, model_id)
    for place, line in enumerate(model.lines):
        session.add(line_row(line, place, model_id, names))
    session.flush()
    names = Names(session, model_id)
    _store_schedules(session, model, names)
    names = Names(session, model_id)
    _store_moves(session, model, names)
    _store_cases(session, model, names)
    for place, figure in enumerate(model.figures):
        session.add(figure_row(figure, place, model, names))
    for place, limit in enumerate(model.limits):
        session.add(limit_row(limit, place, names))
    for closing in model.closings:
        session.add(closing_row(closing, names))
    session.flush()
    frame.liquidity = liquidity_document(model.liquidity, Names(session, model_id))
    session.add(frame)
    session.flush()
    return frame


def _store_cases(session: Session, model: Model, names: Names) -> None:
    move_ids = {move.name: int(move.id or 0) for move in names.moves}
    named: dict[str, int] = {}
    for place, case in enumerate(model.cases):
        parent = names.case(case.parent).id if case.parent else None
        case_row = CaseRow(
            model_id=names.model_id,
            parent_id=parent,
            position=place,
            name=case.name,
            label=case.label,
            note=case.note,
            moves=[{"move": move_ids[s.move], "start": text_of(s.start), "strength": s.strength} for s in case.moves],
            drops=[move_ids[name] if name in move_ids else {"change": named[name]} for name in case.drops],
        )
        session.add(case_row)
        session.flush()
        names.cases.append(case_row)
        for order, change in enumerate(case.changes):
            stored = change_row(change, order, names, case_id=case_row.id)
            session.add(stored)
            if change.name:
                session.flush()
                named[change.name] = int(stored.id or 0)


def _store_schedules(session: Session, model: Model, names: Names) -> None:
    line_ids = {line.name: line.id for line in names.lines}
    for place, schedule in enumerate(model.schedules):
        lists = line_settings(schedule.kind)
        settings = {k: [line_ids[name] for name in v] if k in lists else v for k, v in schedule.settings.items()}
        session.add(
            ScheduleRow(
                model_id=names.model_id,
                position=place,
                kind=schedule.kind,
                name=schedule.name,
                label=schedule.label,
                settings=settings,
            )
        )
    session.flush()


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
            {"members": names.key_ids(line.dimensions, key), "values": without_gaps(values)}
            for key, values in line.actuals.items()
        ],
        posts_to=line.posts_to,
        note=line.note,
        allow_loop=line.allow_loop,
        is_fixed=line.is_fixed,
        absent=[names.key_ids(line.dimensions, key) for key in line.absent],
        look=look_document(line.look),
        plausible=range_document(line.plausible),
    )


def statements_document(statements: StatementSettings) -> dict[str, Any]:
    """Return how the statements are laid out as the model's row keeps it: only what differs from the usual."""
    usual = asdict(StatementSettings())
    return {key: value for key, value in asdict(statements).items() if value != usual[key]}


def limit_row(limit: Limit, position: int, names: Names) -> LimitRow:
    """Return the row of a limit."""
    target = names.target(limit.line)
    return LimitRow(
        model_id=names.model_id,
        position=position,
        name=limit.name,
        label=limit.label,
        line_id=target.line_id,
        schedule_id=target.schedule_id,
        part=target.part,
        least=limit.least,
        most=limit.most,
        tested=limit.tested.value,
        first=text_of(limit.first),
        is_covenant=limit.is_covenant,
        note=limit.note,
    )


def liquidity_document(liquidity: Liquidity, names: Names) -> dict[str, Any]:
    """Return how liquidity is read as the model's row keeps it: lines by target, schedules by id."""
    schedules = {schedule.name: schedule.id for schedule in names.schedules}
    document: dict[str, Any] = {}
    if liquidity.level is not None:
        document["level"] = write_rule(RULES, liquidity.level)
    if liquidity.days:
        document["days"] = {names.target(name).key: rule.text for name, rule in liquidity.days.items()}
    if liquidity.under_way:
        document["under_way"] = [schedules[name] for name in liquidity.under_way if name in schedules]
    return document


def without_gaps(amounts: Iterable[float]) -> list[float | None]:
    """Return actuals as a row keeps them: null where nothing is known."""
    return [None if amount != amount else amount for amount in amounts]


def closing_row(closing: Closing, names: Names) -> ClosingRow:
    """Return the row of a month closed."""
    schedules = {schedule.name: str(schedule.id) for schedule in names.schedules}
    return ClosingRow(
        model_id=names.model_id,
        month=str(closing.month),
        figures={names.target(name).key: amount for name, amount in closing.figures.items()},
        ages={schedules[name]: list(amounts) for name, amounts in closing.ages.items() if name in schedules},
        notes={names.target(name).key: note for name, note in closing.notes.items()},
    )


def look_document(look: Look) -> dict[str, Any]:
    """Return how a line looks as its row keeps it: only what is set."""
    return {key: value for key, value in asdict(look).items() if value is not None and value is not False}


def range_document(plausible: PlausibleRange | None) -> dict[str, Any]:
    """Return a plausible range as its row keeps it; empty for none."""
    return {} if plausible is None else asdict(plausible)


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
        first=text_of(change.first),
        last=text_of(change.last),
        note=change.note,
        catch_up_months=change.catch_up_months,
        strength=change.strength,
        name=change.name,
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
        first=text_of(figure.first),
        last=text_of(figure.last),
        reduction=figure.reduction.value,
        comparison=figure.comparison.value,
        threshold=figure.threshold,
        is_pinned=figure.is_pinned,
    )
